"""Running previews and the last ended ones, only in memory."""

from __future__ import annotations

import shutil
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ...contracts.events import Progress
from ...contracts.orders import PreviewOrder
from ...contracts.results import AnyResult, Failure, PreviewResult
from ...core.errors import FasciculusError, MissingError
from ...models.inventory.discovery import ExcludedSize, Folder, Preview, SizeCount
from ...worker.pool import Worker, Workers

_KEPT = 50


@dataclass(slots=True)
class _Running:
    shown: Preview
    worker: Worker | None = None
    cancelled: bool = False


class Previews:
    """Each has its own worker, outside the limit on tasks, since a person waits for it."""

    def __init__(self, workers: Workers) -> None:
        self._workers = workers
        self._lock = threading.Lock()
        self._found: OrderedDict[int, _Running] = OrderedDict()
        self._last = 0

    def start(self, make: Callable[[int], PreviewOrder]) -> int:
        """Begin one; ``make`` returns its order for a number."""
        with self._lock:
            self._last += 1
            number = self._last
        order = make(number)
        running = _Running(Preview(id=number, state="running"))
        with self._lock:
            self._found[number] = running
            oldest = self._found.popitem(last=False)[1] if len(self._found) > _KEPT else None
        if oldest is not None and oldest.worker is not None:
            oldest.worker.cancel()
        threading.Thread(target=self._carry_out, args=(running, order), daemon=True).start()
        return number

    def _carry_out(self, running: _Running, order: PreviewOrder) -> None:
        began = time.monotonic()
        result: AnyResult = Failure(outcome="failed", error="The preview ended unexpectedly.")
        try:
            worker = running.worker = self._workers.start(order)
            if running.cancelled:
                worker.cancel()
            for event in worker.events():
                if isinstance(event, Progress):
                    running.shown.entries, running.shown.bytes = event.entries, event.bytes
            if worker.result is not None:
                result = worker.result
            elif running.cancelled:
                result = Failure(outcome="cancelled", error="Cancelled.")
        except FasciculusError as error:
            result = Failure(outcome="failed", error=error.sentence())
        finally:
            shutil.rmtree(Path(order.spool), ignore_errors=True)
            running.shown = _shown(running.shown.id, result, time.monotonic() - began)

    def show(self, number: int) -> Preview:
        """Return the progress of a preview, or its result. Raises ``MissingError``."""
        return self._one(number).shown

    def cancel(self, number: int) -> Preview:
        """Cancel one; harmless when it has ended."""
        running = self._one(number)
        running.cancelled = True
        if running.worker is not None:
            running.worker.cancel()
        return running.shown

    def _one(self, number: int) -> _Running:
        with self._lock:
            if number not in self._found:
                raise MissingError(
                    f"There is no preview {number}.", "Start it again; they are not kept for long."
                )
            return self._found[number]

    def stop(self) -> None:
        """Cancel all that are under way."""
        with self._lock:
            numbers = list(self._found)
        for number in numbers:
            self.cancel(number)


def _shown(number: int, result: AnyResult, seconds: float) -> Preview:
    shown = Preview(
        id=number,
        state="ended",
        outcome=result.outcome,
        error=result.error,
        seconds=seconds,
    )
    if isinstance(result, PreviewResult):
        shown.entries, shown.bytes = result.size.entries, result.size.bytes
        shown.packed, shown.warnings = result.packed, result.warnings
        if result.new is not None:
            shown.new = SizeCount(entries=result.new.entries, bytes=result.new.bytes)
        shown.saved = [
            ExcludedSize(rule=row.rule, entries=row.entries, bytes=row.bytes)
            for row in result.excluded
        ]
        shown.folders = [
            Folder(path=row.path, entries=row.entries, bytes=row.bytes) for row in result.folders
        ]
    return shown
