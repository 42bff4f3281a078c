"""Previews under way and the last ones that ended, in memory alone."""

from __future__ import annotations

import shutil
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from pathlib import Path

from ...core.errors import MissingError
from ...models.discovery import Preview
from ...worker.events import Event, Finished, Progress
from ...worker.orders import PreviewOrder
from .worker_process import Worker

_KEPT = 50


class Previews:
    """Each preview is a worker of its own, outside the limit on tasks: somebody waits for it."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._found: OrderedDict[int, tuple[Preview, Worker]] = OrderedDict()
        self._last = 0

    def start(self, make: Callable[[int], PreviewOrder]) -> int:
        """Begin one; ``make`` gives its order for a number."""
        with self._lock:
            self._last += 1
            number = self._last
        order = make(number)
        preview, worker = Preview(id=number, state="running"), Worker(f"preview {number}")
        with self._lock:
            self._found[number] = (preview, worker)
            while len(self._found) > _KEPT:
                _, (_, old) = self._found.popitem(last=False)
                old.cancel()
        threading.Thread(target=self._carry_out, args=(preview, worker, order), daemon=True).start()
        return number

    def _carry_out(self, preview: Preview, worker: Worker, order: PreviewOrder) -> None:
        began = time.monotonic()

        def take(event: Event) -> None:
            if isinstance(event, Progress):
                preview.entries, preview.bytes = event.entries, event.bytes

        try:
            ended = worker.run(order, take)
        finally:
            shutil.rmtree(Path(order.spool), ignore_errors=True)
        if not isinstance(ended, Finished):
            ended = Finished(
                "cancelled" if worker.cancelled else "failed", "The preview broke off."
            )
        found = Preview(
            id=preview.id,
            state="ended",
            outcome=ended.outcome,
            error=ended.error,
            seconds=time.monotonic() - began,
            **ended.manifest,
        )
        with self._lock:
            if preview.id in self._found:
                self._found[preview.id] = (found, worker)

    def show(self, number: int) -> Preview:
        with self._lock:
            if number not in self._found:
                raise MissingError(
                    f"There is no preview {number}.", "Start it again; they are not kept for long."
                )
            return self._found[number][0]

    def cancel(self, number: int) -> Preview:
        found = self.show(number)
        self._found[number][1].cancel()
        return found

    def stop(self) -> None:
        """End all that are under way."""
        with self._lock:
            workers = [
                worker for preview, worker in self._found.values() if preview.state == "running"
            ]
        for worker in workers:
            worker.cancel()
