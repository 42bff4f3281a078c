"""Following a run or a restore in the terminal."""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

import typer

from .. import models
from ..core.formatting import format_duration, format_size
from ..core.outcome import OUTCOMES
from . import output
from .output import CANCELLED, DONE, TROUBLE, err

if TYPE_CHECKING:
    from rich.progress import Progress, TaskID

    from ..client import Client

_GOOD = ("done", "warned")
_PAUSE = 0.3


def exit_code(outcome: str | None) -> int:
    """Return the exit code for the outcome of a run or task."""
    return DONE if outcome in _GOOD else CANCELLED if outcome == "cancelled" else TROUBLE


def _bars() -> Progress:
    from rich.progress import BarColumn, Progress, SpinnerColumn, TextColumn, TimeElapsedColumn

    return Progress(
        SpinnerColumn(),
        TextColumn("{task.description}"),
        BarColumn(bar_width=24),
        TextColumn("{task.fields[numbers]}"),
        TimeElapsedColumn(),
        console=err,
        transient=False,
        disable=not sys.stderr.isatty(),
    )


class _RunView:
    """One bar a task that has begun."""

    def __init__(self, bars: Progress) -> None:
        self._bars = bars
        self._rows: dict[int, TaskID] = {}

    def show(self, task: models.Task) -> None:
        if task.state == "queued":
            return
        if task.id not in self._rows:
            self._rows[task.id] = self._bars.add_task(task.subject, total=None, numbers="")
        words = f"{task.stage or 'starting'}: {task.entries:,} entries, {format_size(task.bytes)}"
        if task.rate:
            words += f", {format_size(int(task.rate))}/s"
        if task.remaining:
            words += f", {format_duration(task.remaining)} left"
        total: float | None = task.expected or None
        done: float = min(task.bytes, task.expected) if task.expected else 0
        if task.state == "ended":
            words = OUTCOMES[task.outcome or "failed"].word
            if task.bundle:
                words += f": {format_size(task.bytes)}, {format_size(task.packed)} packed"
            total = done = 1
        self._bars.update(self._rows[task.id], total=total, completed=done, numbers=words)


@contextmanager
def _goes_on(what: str, command: str, number: int) -> Iterator[None]:
    """On Ctrl-C, print that the task continues; ``command`` is how to follow it."""
    try:
        yield
    except KeyboardInterrupt:
        noun = command.partition(" ")[0]
        err.print(
            f"{what} {number} goes on. Follow it: fasciculus {command} {number}. Cancel it: "
            f"fasciculus {noun} cancel {number}.",
            markup=False,
        )
        raise typer.Exit(CANCELLED) from None


def follow_run(client: Client, run_id: int, quiet: bool = False) -> models.RunDetail:
    """Show a run's progress until it ends, and return the ended run."""
    bars = _bars()
    if quiet:
        bars.disable = True
    with _goes_on("Run", "runs follow", run_id), bars:
        view = _RunView(bars)
        for task in client.runs_show(run_id).tasks:
            view.show(task)
        for event in client.runs_events(run_id):
            if event.kind == "task":
                view.show(models.Task.model_validate(event.data["task"]))
            elif event.kind == "reset":
                for task in client.runs_show(run_id).tasks:
                    view.show(task)
        run = client.runs_show(run_id)
        for task in run.tasks:
            view.show(task)
    return run


def finish_run(run: models.RunDetail, quiet: bool = False, as_json: bool = False) -> None:
    """End the command with the run's one line and its exit code."""
    if not quiet or run.outcome not in _GOOD:
        output.done(run, run.sentence, as_json)
    raise typer.Exit(exit_code(run.outcome))


def follow_restore(client: Client, restore_id: int) -> models.Restore:
    """Show a restore's progress until it ends."""
    with _goes_on("Restore", "restores show", restore_id), _bars() as bars:
        row = bars.add_task("restore", total=None, numbers="")
        while (restore := client.restores_show(restore_id)).state != "ended":
            bars.update(
                row,
                total=restore.total or None,
                completed=restore.bytes,
                numbers=f"{restore.stage}: {restore.entries:,} entries, "
                f"{format_size(restore.bytes)}",
            )
            time.sleep(_PAUSE)
        bars.update(row, total=1, completed=1, numbers=OUTCOMES[restore.outcome or "failed"].word)
    return restore


def follow_maintenance(client: Client, maintenance_id: int) -> models.MaintenanceTask:
    """Show how far maintenance is until it ends."""
    with _goes_on("Task", "maintenance show", maintenance_id), _bars() as bars:
        row = bars.add_task("maintenance", total=None, numbers="")
        while (work := client.maintenance_show(maintenance_id)).state != "ended":
            numbers = f"{work.stage or work.state}: {format_size(work.bytes)}"
            bars.update(
                row,
                description=f"{work.kind} {work.subject}",
                total=work.total or None,
                completed=work.bytes,
                numbers=numbers,
            )
            time.sleep(_PAUSE)
        bars.update(
            row,
            description=f"{work.kind} {work.subject}",
            total=1,
            completed=1,
            numbers=OUTCOMES[work.outcome or "failed"].word,
        )
    return work


def follow_preview(client: Client, number: int) -> models.Preview:
    """Show how far a preview is until it ends."""
    with _bars() as bars:
        row = bars.add_task("preview", total=None, numbers="")
        while (found := client.previews_show(number)).state != "ended":
            bars.update(row, numbers=f"{found.entries:,} entries, {format_size(found.bytes)}")
            time.sleep(_PAUSE)
        bars.update(row, total=1, completed=1, numbers=found.outcome or "")
    return found
