"""Runs: what goes on and what went, with logs."""

from __future__ import annotations

from flask import Response, request

from ...core.errors import SettingError
from ...models import (
    LogLine,
    Page,
    Run,
    RunDetail,
)
from ...records import runs
from ..context import context
from ..event_stream import EventStream
from ..operations import arg, operation, paging
from .auth import note

LOG_QUERY = {"level": "info, warning, error, or trouble for all but info", "q": "words in the line"}


@operation(
    "GET",
    "/runs",
    "Runs, newest first",
    gives=Page[Run],
    paged=True,
    query={
        "job": "only of this job",
        "outcome": "only with this outcome, or “trouble”",
        "state": "queued, running or ended",
        "subject": "only with a task of this subject",
    },
)
def runs_list() -> Page[Run]:
    return runs.runs(
        context().records.reader, paging(), arg("job"), arg("outcome"), arg("state"), arg("subject")
    )


@operation("GET", "/runs/{run_id}", "One run with its tasks", gives=RunDetail)
def runs_show(run_id: int) -> RunDetail:
    run = runs.run(context().records.reader, run_id)
    run.tasks = [context().dispatcher.enrich(task) for task in run.tasks]
    return run


@operation("POST", "/runs/{run_id}/cancel", "Cancel a run", gives=RunDetail, status=202)
def runs_cancel(run_id: int) -> RunDetail:
    run = runs.run(context().records.reader, run_id)
    if run.state == "ended":
        raise SettingError(f"Run {run_id} has ended already.", "There is nothing to cancel.")
    context().dispatcher.cancel_run(run_id)
    note("cancelled run", str(run_id))
    return runs_show(run_id)


@operation(
    "GET",
    "/runs/{run_id}/log",
    "The log of a run",
    gives=Page[LogLine],
    paged=True,
    query=LOG_QUERY,
)
def runs_log(run_id: int) -> Page[LogLine]:
    runs.run(context().records.reader, run_id)
    return runs.log_lines(
        context().records.reader, paging(), "run_id", run_id, arg("level"), arg("q")
    )


@operation(
    "GET",
    "/runs/{run_id}/events",
    "What happens in a run, live, until it ends",
    media="text/event-stream",
    query={"last_id": "resume after this event id"},
)
def runs_events(run_id: int) -> Response:
    runs.run(context().records.reader, run_id)
    records = context().records

    def over() -> bool:
        return runs.run(records.reader, run_id).state == "ended"

    return event_stream(context().events, run_id, over)


def event_stream(events: EventStream, run_id: int | None = None, over: object = None) -> Response:
    """A response of Server-Sent Events."""
    last = request.headers.get("Last-Event-ID") or arg("last_id")
    stream = events.stream(last, run_id, over) if callable(over) else events.stream(last, run_id)
    return Response(
        stream,
        mimetype="text/event-stream",
        headers={"Cache-Control": "no-store", "X-Accel-Buffering": "no"},
    )
