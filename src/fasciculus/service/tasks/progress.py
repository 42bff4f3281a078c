"""What waits or goes on, and how far it is."""

from __future__ import annotations

import time
from dataclasses import dataclass, field

from ...worker.events import Progress
from .worker_process import Worker

_SMOOTH = 0.3


@dataclass(slots=True)
class QueuedTask:
    """A task or restore that waits or goes on."""

    number: int
    subject: tuple[str, str]
    run: int | None = None
    restore: int | None = None
    #: The host that it reads from, and how many tasks that takes side by side.
    host: str = ""
    at_once: int = 1
    worker: Worker = field(default_factory=lambda: Worker("task"))


@dataclass(slots=True)
class TaskProgress:
    """The last progress of a task, and the rate at which bytes are read."""

    progress: Progress
    rate: float = 0.0
    at: float = field(default_factory=time.monotonic)

    def update(self, progress: Progress) -> None:
        moment = time.monotonic()
        if moment - self.at > 0.2:
            speed = (progress.bytes - self.progress.bytes) / (moment - self.at)
            self.rate = speed if not self.rate else self.rate + _SMOOTH * (speed - self.rate)
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
        """Seconds left, where the total is known and something moves."""
        left = self.progress.total - self.progress.bytes
        seconds = left / self.rate if self.rate > 1 else 0.0
        return seconds if seconds >= 1 else None


def key_of(item: QueuedTask) -> tuple[str, int]:
    """What tells it from all others."""
    return ("task" if item.run is not None else "restore", item.number)
