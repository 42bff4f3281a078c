"""The metrics of a service."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime

from prometheus_client.core import GaugeMetricFamily, InfoMetricFamily
from prometheus_client.metrics_core import Metric
from prometheus_client.registry import Collector

from ... import __version__
from ...core.outcome import OUTCOMES
from ...core.scope import Scope
from ...core.subject import Subject
from ...records.bundles import bundles
from ...records.jobs import jobs, pauses
from ...records.messages import alerts, reports
from ...records.runs import past_runs, runs
from ...records.scope import has_subject
from ...records.stores import stores
from .. import timetables
from ..context import Context


def _gauge(name: str, text: str, labels: tuple[str, ...] = ()) -> GaugeMetricFamily:
    return GaugeMetricFamily(f"fasciculus_{name}", text, labels=labels)


class ServiceMetrics(Collector):
    """The metrics, computed on request."""

    def __init__(self, parts: Context, scope: Scope) -> None:
        self._parts, self._scope = parts, scope
        self._db = parts.records.reader
        self._now = datetime.now(UTC)

    def collect(self) -> Iterator[Metric]:
        """Yield the metrics."""
        yield InfoMetricFamily("fasciculus", "The service.", {"version": __version__})
        yield self._one("up", "1 if all parts of the service are running.", self._well())
        yield self._one(
            "scheduler_up",
            "1 if the scheduler checks its timetables.",
            self._parts.scheduler.alive,
        )
        yield self._copy_ages()
        if not self._scope.is_everything:
            # The rest is of jobs, stores and reports, which belong to all accounts together.
            return
        yield self._one(
            "reports_waiting",
            "Reports that are waiting to be sent.",
            len(reports.outbox(self._db)),
        )
        yield self._alerts()
        yield from self._jobs()
        yield from self._stores()

    def _one(self, name: str, text: str, value: float) -> Metric:
        found = _gauge(name, text)
        found.add_metric((), float(value))
        return found

    def _well(self) -> bool:
        parts = self._parts
        return parts.scheduler.alive and parts.tasks.alive and not parts.records.trouble

    def _alerts(self) -> Metric:
        found = _gauge("alerts_open", "Open alerts.", ("level", "acknowledged"))
        rows = list(alerts.open_by_key(self._db).values())
        for level in ("broken", "look"):
            for taken in (True, False):
                count = sum(a.level == level and bool(a.acknowledged) == taken for a in rows)
                found.add_metric((level, str(taken).lower()), count)
        return found

    def _copy_ages(self) -> Metric:
        found = _gauge(
            "copy_age_seconds",
            "Age of the last good copy of each subject, by job.",
            ("kind", "subject", "job"),
        )
        for (kind, subject), newest in bundles.newest_by_job(self._db).items():
            if not has_subject(self._db, self._scope, Subject(kind, subject)):
                continue
            for job, moment in newest.items():
                age = (self._now - datetime.fromisoformat(moment)).total_seconds()
                found.add_metric((kind, subject, job), age)
        return found

    def _jobs(self) -> Iterator[Metric]:
        outcome = _gauge(
            "job_last_outcome", "Outcome of the last run of each job.", ("job", "outcome")
        )
        ended = _gauge(
            "job_last_end_seconds", "End of the last run, in seconds since 1970.", ("job",)
        )
        took = _gauge("job_last_duration_seconds", "Duration of the last run.", ("job",))
        starts = _gauge("job_next_start_seconds", "Next start, in seconds since 1970.", ("job",))
        running = _gauge("job_running", "1 while a run is in progress.", ("job",))
        paused = pauses.pauses(self._db, self._now)
        for job in jobs.jobs(self._db):
            name = (job.name,)
            running.add_metric(name, float(runs.active(self._db, job.name) is not None))
            if following := timetables.next_start(job, paused, self._now):
                starts.add_metric(name, following.timestamp())
            last = past_runs.last_ended(self._db, job.name)
            if last is None:
                continue
            end = datetime.fromisoformat(last["ended"])
            ended.add_metric(name, end.timestamp())
            took.add_metric(name, (end - datetime.fromisoformat(last["started"])).total_seconds())
            for row in OUTCOMES:
                outcome.add_metric((job.name, row), float(last["outcome"] == row))
        yield from (outcome, ended, took, starts, running)

    def _stores(self) -> Iterator[Metric]:
        held = _gauge("store_bytes", "Bytes of the pieces on each store.", ("store",))
        copies = _gauge("store_copies", "Copies on each store.", ("store",))
        free = _gauge("store_free_bytes", "Free space, if known.", ("store",))
        lag = _gauge("store_missing_copies", "Copies that it lacks of its jobs.", ("store",))
        statuses = self._parts.statuses.recent()
        for row in stores.fills(self._db, self._parts.cipher):
            held.add_metric((row.name,), row.bytes)
            copies.add_metric((row.name,), row.copies)
            if row.free is not None:
                free.add_metric((row.name,), row.free)
            if status := statuses.get(row.name):
                lag.add_metric((row.name,), status.lag)
        yield from (held, copies, free, lag)
