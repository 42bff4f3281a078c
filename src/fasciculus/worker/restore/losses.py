"""Losses of a restore: requested entries that could not be restored."""

from __future__ import annotations

from ...core.formatting import format_count
from ..emitter import Emitter

_NAMED = 5
_LOGGED = 1000


class Losses:
    """Counts what did not come back, logs the reasons, and says it in one sentence."""

    def __init__(self, emitter: Emitter) -> None:
        self._emitter = emitter
        self._named: list[str] = []
        self._could_not_write = 0
        self.count = 0

    def __bool__(self) -> bool:
        return self.count > 0

    @property
    def is_damage(self) -> bool:
        """Return whether anything of it was damaged or missing on the store."""
        return self.count > self._could_not_write

    def damaged(self, what: str, why: str) -> None:
        """Note something that is damaged or missing on the store."""
        self.count += 1
        if self.count <= _NAMED:
            self._named.append(what)
        if self.count <= _LOGGED:
            self._emitter.error(why if why.startswith(what) else f"{what}: {why}")

    def not_written(self, what: str, why: str) -> None:
        """Note something that is sound, but could not be written or is not in the bundle."""
        self._could_not_write += 1
        self.damaged(what, why)

    def sentence(self, store: str, others: int) -> str:
        """Return the losses, with the number of restored entries."""
        named = ", ".join(self._named) + (" …" if self.count > _NAMED else "")
        logged = "all of it" if self.count <= _LOGGED else f"the first {_LOGGED:,}"
        lost = format_count(self.count, "entry", "entries")
        came = format_count(others, "other", "others")
        if self._could_not_write:
            return (
                f"{lost} did not come back: {named}. {came} did. The log names {logged}, each "
                "with the reason."
            )
        return (
            f"{lost} did not come back, damaged on store “{store}”: {named}. {came} did. "
            "Restore the missing ones from another copy or another point in time; "
            f"the log names {logged}."
        )
