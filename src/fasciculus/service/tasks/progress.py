"""Progress and speed of a task."""

from __future__ import annotations

import time
from dataclasses import dataclass, field

from ...contracts.events import Progress

_SMOOTHING = 0.3
_LEAST_INTERVAL = 0.2


@dataclass(slots=True)
class TaskProgress:
    """The last progress of a task; ``rate`` is in bytes read per second."""

    progress: Progress
    rate: float = 0.0
    at: float = field(default_factory=time.monotonic)
    #: When the present step began.
    step_at: float = field(default_factory=time.monotonic)

    @property
    def step_seconds(self) -> float:
        """Return the duration of the present step."""
        return time.monotonic() - self.step_at

    def update(self, progress: Progress) -> None:
        """Take a newer progress; the rate is smoothed."""
        moment = time.monotonic()
        if progress.stage != self.progress.stage:
            self.step_at = moment
        if moment - self.at > _LEAST_INTERVAL:
            speed = (progress.bytes - self.progress.bytes) / (moment - self.at)
            self.rate = speed if not self.rate else self.rate + _SMOOTHING * (speed - self.rate)
            self.at = moment
            self.progress = progress
        else:
            self.progress = Progress(
                progress.stage,
                progress.entries,
                self.progress.bytes,
                progress.packed,
                progress.pushed,
                progress.total,
            )

    @property
    def remaining(self) -> float | None:
        """Return seconds left, where the total is known and something moves."""
        left = self.progress.total - self.progress.bytes
        seconds = left / self.rate if self.rate > 1 else 0.0
        return seconds if seconds >= 1 else None
