"""Runs: running and ended, with logs."""

from __future__ import annotations

from collections.abc import Callable

from flask import Response, request

from ...core.errors import AlreadyEndedError
from ...core.permissions import Permission
from ...models import LogLine, Page, Run, RunDetail
from ...models.queries import LastEventQuery, LogQuery, RunsQuery
from ...records import log_lines, runs
from ..context import context
from ..event_stream import EventStream
from ..operations import operation, page_request
from .auth import note


@operation(
    "GET",
    "/runs",
    "Runs, newest first",
    Permission.VIEW,
    response=Page[Run],
    query=RunsQuery,
)
def runs_list(query: RunsQuery) -> Page[Run]:
    return runs.runs(
        context().records.reader,
        page_request(query),
        query.job,
        query.outcome,
        query.state,
        query.subject,
    )


@operation("GET", "/runs/{run_id}", "One run with its tasks", Permission.VIEW, response=RunDetail)
def runs_show(run_id: int) -> RunDetail:
    run = runs.run(context().records.reader, run_id)
    run.tasks = [context().tasks.with_progress(task) for task in run.tasks]
    return run


@operation(
    "POST",
    "/runs/{run_id}/cancel",
    "Cancel a run",
    Permission.OPERATE,
    response=RunDetail,
    status=202,
)
def runs_cancel(run_id: int) -> RunDetail:
    run = runs.run(context().records.reader, run_id)
    if run.state == "ended":
        raise AlreadyEndedError(f"Run {run_id} has ended already.", "There is nothing to cancel.")
    context().tasks.cancel_run(run_id)
    note("cancelled run", str(run_id))
    return runs_show(run_id)


@operation(
    "GET",
    "/runs/{run_id}/log",
    "The log of a run",
    Permission.VIEW,
    response=Page[LogLine],
    query=LogQuery,
)
def runs_log(run_id: int, query: LogQuery) -> Page[LogLine]:
    runs.summary(context().records.reader, run_id)
    return log_lines.lines(
        context().records.reader, page_request(query), "run_id", run_id, query.level, query.q
    )


@operation(
    "GET",
    "/runs/{run_id}/events",
    "Live events of a run, until it ends",
    Permission.VIEW,
    media="text/event-stream",
    query=LastEventQuery,
)
def runs_events(run_id: int, query: LastEventQuery) -> Response:
    runs.summary(context().records.reader, run_id)
    records = context().records

    def over() -> bool:
        return runs.summary(records.reader, run_id).state == "ended"

    return event_stream(context().events, query.last_id, run_id, over)


def event_stream(
    events: EventStream,
    last_id: str,
    run_id: int | None = None,
    over: Callable[[], bool] = lambda: False,
) -> Response:
    """Return a response of Server-Sent Events."""
    last = request.headers.get("Last-Event-ID") or last_id
    return Response(
        events.stream(last, run_id, over),
        mimetype="text/event-stream",
        headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
    )
