"""Runs: running and ended, with logs."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from ...core.errors import AlreadyEndedError
from ...models import LogLine, Page, Run, RunDetail
from ...models.queries import LogQuery, RunsQuery
from ...records.paging import page_request
from ...records.runs import log_lines, runs
from ...records.scope import has_subject
from ..event_stream import StreamedEvent
from .caller import Caller


def runs_list(caller: Caller, query: RunsQuery) -> Page[Run]:
    """Return runs, newest first."""
    return runs.runs(
        caller.reader,
        caller.scope,
        page_request(query),
        query.job,
        query.outcome,
        query.state,
        query.subject,
    )


def runs_show(caller: Caller, run_id: int) -> RunDetail:
    """Return one run with its tasks."""
    run = runs.run(caller.reader, run_id, caller.scope)
    run.tasks = [caller.service.tasks.with_progress(task) for task in run.tasks]
    return run


def runs_cancel(caller: Caller, run_id: int) -> RunDetail:
    """Cancel a run."""
    run = runs.run(caller.reader, run_id)
    if run.state == "ended":
        raise AlreadyEndedError(f"Run {run_id} has ended already.", "There is nothing to cancel.")
    caller.service.tasks.cancel_run(run_id)
    caller.note("cancelled run", str(run_id))
    return runs_show(caller, run_id)


def runs_log(caller: Caller, run_id: int, query: LogQuery) -> Page[LogLine]:
    """Return the log of a run."""
    runs.summary(caller.reader, run_id, caller.scope)
    return log_lines.lines(
        caller.reader, caller.scope, page_request(query), "run_id", run_id, query.level, query.q
    )


def runs_events(caller: Caller, run_id: int, last_id: str) -> Iterator[bytes]:
    """Return the live events of a run after one of them, until the run ends."""
    runs.summary(caller.reader, run_id, caller.scope)
    records = caller.records

    def over() -> bool:
        return runs.is_over(records.reader, run_id)

    return caller.service.events.stream(last_id, run_id, over, _shown_to(caller))


def live(caller: Caller, last_id: str) -> Iterator[bytes]:
    """Return everything that happens after an event, live."""
    return caller.service.events.stream(last_id, admits=_shown_to(caller))


def _shown_to(caller: Caller) -> Callable[[StreamedEvent], bool]:
    """Return which events are of the caller's scope; “changed” names no account."""
    records, scope = caller.records, caller.scope

    def shown(event: StreamedEvent) -> bool:
        if scope.is_everything or event.kind == "changed":
            return True
        return event.subject is not None and has_subject(records.reader, scope, event.subject)

    return shown
