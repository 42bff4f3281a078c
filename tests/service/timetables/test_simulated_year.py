"""A year of a driven clock: what the simulation says is what really happens."""

from __future__ import annotations

import io
import json
import threading
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import time_machine
from sample_records import SampleRecords

from fasciculus.contracts.events import Finished, from_line
from fasciculus.core import schedule
from fasciculus.core.bundle.layout import moment_of
from fasciculus.core.retention import parse
from fasciculus.core.retention.simulation import Sizes, simulate
from fasciculus.hosts.local import LocalHost
from fasciculus.records.bundles import bundles
from fasciculus.records.runs import runs
from fasciculus.service.tasks.backups import BackupHandler, RunStart
from fasciculus.stores import open_store
from fasciculus.stores.base import connected
from fasciculus.stores.identity import write_identity
from fasciculus.worker.backup.task import BackupTask
from fasciculus.worker.connections import Connections
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.pool import WorkerPool

BEGIN = datetime(2026, 1, 1, 12, tzinfo=UTC)
RULE = "3 newest, 10 daily, 6 weekly, 12 monthly, yearly forever, at least 4"
TIMETABLE = "weekly mon,wed,fri 02:15; monthly last day 23:30"


def test_a_year_of_real_bundles_is_what_was_simulated(
    heronmere: SampleRecords, tmp_path: Path
) -> None:
    home = tmp_path / "millpond"
    home.mkdir()
    (home / "page.html").write_text("pots")
    (tmp_path / "attic").mkdir()
    heronmere.account("kiln", home=str(home))
    job = heronmere.job(
        choice="listed",
        names=["kiln"],
        contents=["files"],
        keep=RULE,
        timetable=TIMETABLE,
        zone="Europe/London",
    )
    handler = BackupHandler(heronmere.config, heronmere.records, heronmere.cipher, heronmere.events)
    handler.collect = WorkerPool().collect
    handler.on_run_ended = lambda run: None
    zone = ZoneInfo(job.zone)
    starts = schedule.starts(schedule.parse(TIMETABLE), zone, BEGIN)
    simulated = simulate([], starts, parse(RULE), Sizes(1), zone, BEGIN.date(), 366)
    moments = schedule.starts(schedule.parse(TIMETABLE), zone, BEGIN)
    moment, made = next(moments), 0
    with time_machine.travel(BEGIN, tick=False) as clock:
        for day in simulated:
            while moment.astimezone(zone).date() <= day.day:
                clock.move_to(moment)
                carry_out(heronmere, handler, first=not made)
                moment, made = next(moments), made + 1
            clock.move_to(datetime.combine(day.day, datetime.max.time(), zone))
            known = bundles.known_on(heronmere.db, "account", "kiln", "nightly", "attic")
            assert [copy.moment for copy in known] == list(day.copies), day.day
    stored = sorted(path.name for path in (tmp_path / "attic/accounts/kiln/bundles").iterdir())
    assert [moment_of(name) for name in stored] == list(day.copies), "and so says the store"
    assert made > 160 and len(stored) < 40


def carry_out(heronmere: SampleRecords, handler: BackupHandler, first: bool) -> None:
    """One night, as runner and worker do it."""
    with heronmere.records.write() as db:
        for run in runs.unended(db):
            runs.end(db, run, "done", "")
    run, (task,) = handler.queue_run(RunStart("nightly", "timetable", by_timetable=True))
    order = handler.begin(task)
    if first:
        with connected(open_store(order.stores[0].spec())) as store:
            write_identity(store, order.stores[0].store_id)
    raw = io.BytesIO()
    with closing(Connections()) as connections:
        result = BackupTask(order, LocalHost(), connections, Emitter(raw), threading.Event()).run()
    assert result.outcome == "done", result
    for line in raw.getvalue().splitlines():
        event = from_line(line)
        if not isinstance(event, Finished) and json.loads(line).get("event") != "progress":
            handler.take(task, event)
    for write in handler.endings(task, result):
        write()
