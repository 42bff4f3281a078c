"""Registries of the kinds of thing that can be added: stores, hosts, database engines.

A kind is one object in its own file. Those that ship are registered by name in their room; a
package adds others through an entry point of the room's group, and is loaded when it is wanted.
Modules that an order does not need are not imported here, since pydantic takes long.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from functools import cached_property
from importlib import import_module
from typing import TYPE_CHECKING, Any, Generic, TypeVar

from .core.errors import SettingError

if TYPE_CHECKING:
    from .kinds import Kind, Settings

K = TypeVar("K", bound="Kind")


class Registry(Generic[K]):
    """Kinds by name. ``what`` is what people call them; ``built_in`` has ``module:attribute``;
    ``refused`` has the reasons against kinds that people ask for.
    """

    def __init__(
        self,
        what: str,
        group: str,
        built_in: Mapping[str, str],
        refused: Mapping[str, str] | None = None,
        staying: Collection[str] = (),
    ) -> None:
        self._what, self._group, self._built_in = what, group, built_in
        self.refused = dict(refused or {})
        self._loaded: dict[str, K] = {}
        self._staying = frozenset(staying)

    @cached_property
    def _places(self) -> dict[str, str]:
        from importlib.metadata import entry_points

        added = {point.name: point.value for point in entry_points(group=self._group)}
        # What ships cannot be replaced from outside.
        return {**added, **self._built_in}

    def names(self) -> list[str]:
        """Return the names of all kinds, those that ship first."""
        return [*self._built_in, *sorted(self._places.keys() - self._built_in.keys())]

    def modules(self) -> list[str]:
        """Return the modules of the kinds that ship."""
        return [place.partition(":")[0] for place in self._built_in.values()]

    def get(self, name: str) -> K:
        """Return the kind of that name. Raises ``SettingError`` that names those there are."""
        if name not in self._loaded:
            # Looking through all installed packages takes long: only for what does not ship.
            place = self._built_in.get(name) or self._places.get(name)
            if place is None:
                raise SettingError(
                    self.refused.get(name, f"There is no {self._what} “{name}”."),
                    f"Choose {' or '.join(self.names())}.",
                    field="kind",
                )
            module, _, attribute = place.partition(":")
            self._loaded[name] = getattr(import_module(module), attribute)
        return self._loaded[name]

    def stays_connected(self, name: str) -> bool:
        """Return whether connections of a kind that ships may stay open from one task to
        the next.
        """
        return name in self._staying

    def preload(self, name: str) -> None:
        """Import a built-in kind; added ones are imported only where they are used."""
        if name in self._built_in:
            self.get(name)

    def all(self) -> list[K]:
        """Return all kinds."""
        return [self.get(name) for name in self.names()]

    def parse(self, values: Mapping[str, Any]) -> Settings:
        """Return settings from plain values; ``kind`` names their kind.

        Raises ``SettingError`` for a kind that is not there, and pydantic's ``ValidationError`` for
        a field that does not fit.
        """
        name = str(values.get("kind", ""))
        settings = self.get(name).settings
        if settings is None:
            raise SettingError(f"A {self._what} “{name}” has no settings.", field="kind")
        return settings.model_validate(values)

    def stored(self, text: str | bytes) -> Settings:
        """Return settings from saved JSON. Raises ``SettingError`` naming the field that is
        wrong.
        """
        from pydantic_core import ValidationError, from_json

        try:
            return self.parse(from_json(text))
        except ValidationError as error:
            first = error.errors(include_url=False, include_input=False)[0]
            field = ".".join(str(part) for part in first["loc"])
            message = first["msg"].removeprefix("Value error, ")
            raise SettingError(f"{field}: {message}", "Correct it.", field=field) from error
