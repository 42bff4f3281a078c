"""Which subjects a job covers, and which places never go into a bundle."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from typing import Literal

from msgspec import Struct

from .errors import SettingError

Choice = Literal["all", "listed", "all_but"]


class Selection(Struct, frozen=True):
    """A choice among the subjects of one kind."""

    choice: Choice
    names: tuple[str, ...] = ()


def chosen(selection: Selection, known: Iterable[str]) -> list[str]:
    """The names that the selection picks among ``known``, sorted. What is gone is none of them."""
    everything = sorted(known)
    match selection.choice:
        case "all":
            return everything
        case "all_but":
            return [name for name in everything if name not in selection.names]
        case "listed":
            return [name for name in everything if name in selection.names]


def gone(selection: Selection, known: Iterable[str]) -> list[str]:
    """The names that the selection says and that are not known, sorted."""
    if selection.choice == "all":
        return []
    return sorted(set(selection.names) - set(known))


def check_known(selection: Selection, known: Iterable[str], before: Iterable[str] = ()) -> None:
    """Raise :class:`SettingError` for a name that is neither known nor was said ``before``.

    A job must not leave a subject out without a word; one that is gone must not keep it from being
    changed.
    """
    everything = sorted(known)
    if strange := sorted(set(gone(selection, everything)) - set(before)):
        raise SettingError(
            f"There is no “{strange[0]}”.",
            f"Known: {', '.join(everything[:12]) or 'none yet'}.",
            field="subjects",
        )


class ExcludedPaths:
    """Absolute folders and files that a scan skips, with all below them."""

    def __init__(self, paths: Sequence[str | bytes]) -> None:
        self._paths = frozenset(os.path.realpath(os.fsencode(path)) for path in paths)

    def __contains__(self, path: bytes) -> bool:
        return path in self._paths

    def __bool__(self) -> bool:
        return bool(self._paths)

    def below(self, root: bytes) -> frozenset[bytes]:
        """Those paths under ``root``, as paths relative to it."""
        base = os.path.realpath(root)
        prefix = base.rstrip(b"/") + b"/"
        return frozenset(p[len(prefix) :] for p in self._paths if p.startswith(prefix))
