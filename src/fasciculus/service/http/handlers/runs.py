"""Runs: running and ended, with logs."""

from __future__ import annotations

from flask import Response

from ....core.permissions import Permission
from ....models import LogLine, Page, Run, RunDetail
from ....models.queries import LastEventQuery, LogQuery, RunsQuery
from ...usecases import runs
from ..operations import operation
from ..request import caller
from ..server_sent_events import event_stream, last_event_id


@operation(
    "GET",
    "/runs",
    "Runs, newest first",
    Permission.VIEW,
    response=Page[Run],
    query=RunsQuery,
    scoped=True,
)
def runs_list(query: RunsQuery) -> Page[Run]:
    return runs.runs_list(caller(), query)


@operation(
    "GET",
    "/runs/{run_id}",
    "One run with its tasks",
    Permission.VIEW,
    response=RunDetail,
    scoped=True,
)
def runs_show(run_id: int) -> RunDetail:
    return runs.runs_show(caller(), run_id)


@operation(
    "POST",
    "/runs/{run_id}/cancel",
    "Cancel a run",
    Permission.OPERATE,
    response=RunDetail,
    status=202,
)
def runs_cancel(run_id: int) -> RunDetail:
    return runs.runs_cancel(caller(), run_id)


@operation(
    "GET",
    "/runs/{run_id}/log",
    "The log of a run",
    Permission.VIEW,
    response=Page[LogLine],
    query=LogQuery,
    scoped=True,
)
def runs_log(run_id: int, query: LogQuery) -> Page[LogLine]:
    return runs.runs_log(caller(), run_id, query)


@operation(
    "GET",
    "/runs/{run_id}/events",
    "Live events of a run, until it ends",
    Permission.VIEW,
    media="text/event-stream",
    query=LastEventQuery,
    scoped=True,
)
def runs_events(run_id: int, query: LastEventQuery) -> Response:
    return event_stream(runs.runs_events(caller(), run_id, last_event_id(query.last_id)))


@operation(
    "GET",
    "/live",
    "Everything that happens, live",
    Permission.VIEW,
    media="text/event-stream",
    query=LastEventQuery,
    scoped=True,
)
def live(query: LastEventQuery) -> Response:
    return event_stream(runs.live(caller(), last_event_id(query.last_id)))
