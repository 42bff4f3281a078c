"""One line of a restore plan, and the sums of a plan."""

from __future__ import annotations

from msgspec import Struct

from .actions import Action


class PlanLine(Struct, omit_defaults=True):
    """One path of a plan. ``path`` is relative to the subject's root, as text for JSON; ``bytes``
    is its size in the bundle, ``before`` its size now; ``why`` says what differs.
    """

    action: Action
    path: str
    type: str
    bytes: int = 0
    before: int = 0
    why: str = ""


class PlanSummary(Struct, omit_defaults=True):
    """The sums of a plan: entries by action, and bytes.

    ``times`` counts the folders of which only the time changes, which no line tells.
    ``write_bytes`` are written, ``aside_bytes`` set aside; ``free_bytes`` fit there, if known.
    """

    created: int = 0
    replaced: int = 0
    removed: int = 0
    attributes: int = 0
    kept: int = 0
    unchanged: int = 0
    times: int = 0
    write_bytes: int = 0
    aside_bytes: int = 0
    free_bytes: int | None = None
    #: What cannot be promised there, in sentences.
    notes: list[str] = []

    def add(self, line: PlanLine) -> None:
        """Count a line."""
        match line.action:
            case Action.CREATE:
                self.created += 1
            case Action.REPLACE:
                self.replaced += 1
            case Action.REMOVE:
                self.removed += 1
            case Action.ATTRIBUTES:
                self.attributes += 1
            case Action.KEEP:
                self.kept += 1
        if line.action in (Action.CREATE, Action.REPLACE):
            self.write_bytes += line.bytes
        if line.action in (Action.REPLACE, Action.REMOVE):
            self.aside_bytes += line.before

    def include(self, other: PlanSummary) -> None:
        """Add the sums of another plan."""
        for name in self.__struct_fields__:
            if name != "free_bytes":
                setattr(self, name, getattr(self, name) + getattr(other, name))

    @property
    def changes(self) -> int:
        """Return how many paths change."""
        return self.created + self.replaced + self.removed + self.attributes + self.times
