"""A service with the records of very many accounts: ``python -m bench.scale ACCOUNTS DAYS``.

The records are generated; there are no bundles. Each list is asked for in this process, so that the
plan of every query can be printed: those that read a whole large table are named.
"""

from __future__ import annotations

import json
import os
import re
import sqlite3
import sys
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path
from time import perf_counter
from typing import Any

from flask.testing import FlaskClient

from fasciculus import config as configuration
from fasciculus.contracts.events import Log
from fasciculus.core import retention
from fasciculus.core.formatting import format_size
from fasciculus.core.subject import SubjectKind
from fasciculus.models import JobInput, KindSettings, StoreInput
from fasciculus.records.bundles import bundles
from fasciculus.records.jobs import jobs
from fasciculus.records.stores import stores
from fasciculus.records.stores.stores import ProvedStore
from fasciculus.service import main as program
from fasciculus.service.context import Context
from fasciculus.service.http.app import create_app
from fasciculus.service.tasks.orders.backup import backup_order
from fasciculus.service.tasks.orders.connections import OrderInputs

from . import records

_PASSWORD = "sedge-and-quill"
_CALLS = 5
#: Tables that grow with accounts, bundles and nights.
_LARGE = ("account", "bundle", "copy", "task", "log_line", "usage")
_SCAN = re.compile(r"SCAN (\w+)(?: USING (?:COVERING )?INDEX (\w+))?")
_LISTS = (
    "overview",
    "accounts",
    "accounts?q=account-49",
    "bundles",
    "bundles?subject=account-777",
    "bundles?store=store-0",
    "search?q=account-1234",
    "coverage",
    "stores",
    "stores/store-0/usage",
    "jobs",
    "calendar",
    "runs",
    "runs/1",
    "restores",
    "maintenance",
    "damage",
    "alerts",
    "reports",
    "growth?subject=account-77",
)


def main(accounts: int, days: int) -> None:
    """Generate, measure, and print a table."""
    with tempfile.TemporaryDirectory() as folder:
        environment = {
            **os.environ,
            "FASCICULUS_HOME": str(Path(folder) / "home"),
            "FASCICULUS_ADMIN_PASSWORD": _PASSWORD,
        }
        config = configuration.load(environment)
        parts = program.build(config, environment)
        _settings(parts, Path(folder))
        took = _timed(lambda: records.fill(config.records, accounts, days))
        _nights(config.records, accounts)
        parts.records.close()
        size = config.records.stat().st_size
        print(f"{accounts:,} accounts, {accounts * days:,} bundles, {format_size(size)} of records")
        print(f"(generated in {took:.0f} s)")
        start = perf_counter()
        parts = program.build(config, environment)
        _row("start-up: the records are opened", perf_counter() - start)
        _lists(parts)
        _work(parts)


def _settings(parts: Context, folder: Path) -> None:
    with parts.records.write() as db:
        db.execute("INSERT INTO host(name, document) VALUES ('reed-1', ?)", (_host(),))
        for number in range(6):
            place = folder / f"store-{number}"
            settings = KindSettings.model_validate({"kind": "folder", "folder": str(place)})
            store = StoreInput(name=place.name, settings=settings)
            stores.save_store(db, parts.cipher, store, ProvedStore(str(place), stores.new_id()))
        for number in range(20):
            names = [f"store-{number % 6}", f"store-{(number + 1) % 6}"]
            job = JobInput(name=f"job-{number}", contents=["files"], stores=names, keep="30 newest")  # type: ignore[list-item]
            jobs.save_job(db, job)


def _host() -> str:
    return json.dumps({"name": "reed-1", "connection": {"kind": "local"}})


def _nights(file: Path, accounts: int) -> None:
    """Record thirty nights of one run a job, with a task for each account."""
    db = sqlite3.connect(file, isolation_level=None)
    db.execute("BEGIN IMMEDIATE")
    begin = datetime.now(UTC) - timedelta(days=30)
    for night in range(30):
        at = (begin + timedelta(days=night)).isoformat(timespec="seconds")
        for job in range(20):
            run = db.execute(
                "INSERT INTO run(job, zone, report_to, report_when, started_by, state, outcome, "
                "created, started, ended) VALUES (?, 'UTC', '[]', 'never', 'timetable', 'ended', "
                "'done', ?, ?, ?)",
                (f"job-{job}", at, at, at),
            ).lastrowid
            db.executemany(
                "INSERT INTO task(run_id, subject_kind, subject, state, outcome, started, ended) "
                "VALUES (?, 'account', ?, 'ended', 'done', ?, ?)",
                [(run, f"account-{n}", at, at) for n in range(job, accounts, 20)],
            )
    db.execute("COMMIT")
    db.execute("ANALYZE")
    db.close()


def _row(what: str, seconds: float, note: str = "") -> None:
    print(f"| {what} | {1000 * seconds:,.0f} ms | {note} |", flush=True)


def _timed(action: Callable[[], object]) -> float:
    start = perf_counter()
    action()
    return perf_counter() - start


def _lists(parts: Context) -> None:
    client = create_app(parts).test_client()
    credentials = {"name": "administrator", "password": _PASSWORD}
    client.post("/api/v1/session", json=credentials)
    for path in _LISTS:
        asked: list[str] = []
        parts.records.reader.set_trace_callback(asked.append)
        first = _timed(lambda path=path: _ask(client, path))  # type: ignore[misc]
        parts.records.reader.set_trace_callback(None)
        times = sorted(_timed(lambda path=path: _ask(client, path)) for _ in range(_CALLS))  # type: ignore[misc]
        _row(path, times[_CALLS // 2], f"first {1000 * first:,.0f} ms; {_scans(parts, asked)}")


def _ask(client: FlaskClient, path: str) -> None:
    answer = client.get(f"/api/v1/{path}")
    if answer.status_code != 200:
        raise SystemExit(f"{path}: {answer.status_code} {answer.get_data(as_text=True)[:200]}")


def _scans(parts: Context, asked: list[str]) -> str:
    """Return which large tables the queries read whole."""
    found: set[str] = set()
    for sql in asked:
        if not sql.lstrip().upper().startswith(("SELECT", "WITH")):
            continue
        try:
            plan = parts.records.reader.execute(f"EXPLAIN QUERY PLAN {sql}").fetchall()
        except sqlite3.Error:
            continue
        for row in plan:
            match = _SCAN.match(row[3])
            if match is not None and match[1] in _LARGE:
                found.add(f"{match[1]} by {match[2]}" if match[2] else match[1])
    return f"reads whole: {', '.join(sorted(found))}" if found else "by indexes"


def _work(parts: Context) -> None:
    """Measure what happens by itself."""
    db = parts.records.reader
    worst, usual = records.ticks(5000)
    _row("tick of the scheduler, 5,000 timetables", usual / 1000, f"worst {worst:.1f} ms")
    rule = retention.parse("7 newest, 4 weekly, 12 monthly")

    def choose() -> object:
        copies = bundles.known_on(db, SubjectKind.ACCOUNT, "account-780", "job-0", "store-0")
        return retention.retiring(copies, rule)

    _row("copies of an account to retire", min(_timed(choose) for _ in range(5)))
    sources = OrderInputs(parts.config, db, parts.cipher)
    job = jobs.job(db, "job-0")

    def order() -> object:
        return backup_order(sources, job, 1, 1, SubjectKind.ACCOUNT, "account-780")

    _row("the order of one task", min(_timed(order) for _ in range(5)))
    _row("queueing a run of one job", _timed(lambda: _queue(parts)))
    _events(parts)


def _queue(parts: Context) -> None:
    from fasciculus.service.tasks.backups import RunStart

    parts.tasks._backups.queue_run(RunStart("job-1", "the measurement"))


def _events(parts: Context) -> None:
    """Write events as tasks do, one transaction each, and lists meanwhile."""
    from fasciculus.records.runs import log_lines

    count = 5000

    def write() -> None:
        for number in range(count):
            event = Log("info", f"line {number} of a task")
            with parts.records.write() as db:
                log_lines.add(db, "run", 1, event.level, event.text, "account-1")

    seconds = _timed(write)
    print(f"| events recorded a second, one by one | {count / seconds:,.0f} | |", flush=True)


if __name__ == "__main__":
    values: list[Any] = sys.argv[1:] or ["50000", "40"]
    main(int(values[0]), int(values[1]))
