"""Statements of a dump that a server refused, named one by one and then counted."""

from __future__ import annotations

from collections.abc import Callable

from ..core.errors import StatementError

#: Statements of a member that are named when they are refused, and how much of each.
_NAMED, _SHOWN = 20, 60


class RefusedStatements:
    """The refused statements of one member; ``refuse`` is called with a sentence for each."""

    def __init__(self, member: str, refuse: Callable[[str], None]) -> None:
        self._member, self._refuse = member, refuse
        self._count = 0

    def name(self, statement: bytes, error: StatementError) -> None:
        """Name a statement, unless many were named already."""
        self._count += 1
        if self._count <= _NAMED:
            begun = " ".join(statement[:_SHOWN].decode("utf-8", "replace").split())
            self._refuse(f"“{begun}…” did not come back: {error.sentence()}")

    def finish(self) -> None:
        """Say how many were not named."""
        if self._count > _NAMED:
            self._refuse(f"{self._count - _NAMED:,} more of {self._member} did not come back")
