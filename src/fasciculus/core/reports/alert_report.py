"""Alerts that open, go on or close as the model of one message."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime

from ..formatting import format_count
from .run_report import format_moment


@dataclass(slots=True)
class AlertLine:
    """One alert; ``state`` is opened, open still, or closed."""

    state: str
    level: str
    text: str
    link: str = ""


@dataclass(slots=True)
class AlertReport:
    """The contents of a message about alerts."""

    at: datetime
    zone: str
    lines: list[AlertLine] = field(default_factory=list)
    link: str = ""

    @property
    def trouble(self) -> bool:
        """Return whether any of them is not over."""
        return any(line.state != "closed" for line in self.lines)

    @property
    def title(self) -> str:
        """Return the subject line of the mail."""
        counts = []
        for state in ("opened", "open still", "closed"):
            found = [line for line in self.lines if line.state == state]
            if len(self.lines) == 1 and found:
                return f"[Fasciculus] alert {state}: {found[0].text}"
            if found:
                counts.append(f"{len(found)} {state}")
        return f"[Fasciculus] {format_count(len(self.lines), 'alert')}: {', '.join(counts)}"

    @property
    def sentence(self) -> str:
        """Return the alerts in one sentence."""
        return self.title.removeprefix("[Fasciculus] ")

    def local(self, moment: datetime) -> str:
        """Return a time in the zone of the watch, with the zone's name."""
        return format_moment(moment, self.zone)
