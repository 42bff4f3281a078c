"""Messages about alerts."""

from __future__ import annotations

from dataclasses import dataclass

from ...core.watch import Finding
from ...models import Alert


@dataclass(frozen=True, slots=True)
class AlertNews:
    """Alerts that are new, that go on, and that are over."""

    opened: list[Finding]
    reminded: list[Finding]
    closed: list[Alert]

    def __bool__(self) -> bool:
        return bool(self.opened or self.reminded or self.closed)
