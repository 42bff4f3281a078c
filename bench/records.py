"""Records of many accounts and bundles, without the bundles, for the time that lists take."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import partial
from pathlib import Path
from time import perf_counter

from fasciculus.client import Client
from fasciculus.core import schedule
from fasciculus.core.contents import Contents
from fasciculus.core.schedule import StartPlan, Timed
from fasciculus.models import JobInput, KindSettings, StoreInput

_STORES, _JOBS, _DAYS, _TRANSFERS = 6, 20, 30, 5000
_PACKED = 3_333_333
#: How often each call is timed.
CALLS = 40
#: The records below the home of a service.
FILE = "records/fasciculus.sqlite"


def stores_and_jobs(client: Client, folder: Path) -> None:
    """Six stores, and twenty jobs that send to two of them each."""
    for number in range(_STORES):
        (folder / f"store-{number}").mkdir()
        settings = KindSettings.model_validate(
            {"kind": "folder", "folder": str(folder / f"store-{number}")}
        )
        client.stores_add(StoreInput(name=f"store-{number}", settings=settings))
    for number in range(_JOBS):
        client.jobs_add(
            JobInput(
                name=f"job-{number}",
                contents=[Contents.FILES],
                stores=[f"store-{number % _STORES}", f"store-{(number + 1) % _STORES}"],
                keep=f"{_DAYS} newest",
            )
        )


def fill(file: Path, accounts: int, days: int = _DAYS) -> int:
    """Record bundles of some days of each account on two stores, every seventh only on one; return
    the packed bytes of all copies.
    """
    db = sqlite3.connect(file, isolation_level=None)
    db.execute("BEGIN IMMEDIATE")
    stores = [
        row[0] for row in db.execute("SELECT id FROM store WHERE name LIKE 'store-%' ORDER BY name")
    ]
    host = db.execute("SELECT id FROM host").fetchone()[0]
    for number in range(accounts):
        _account(db, host, stores, number, days)
    today = datetime.now(UTC)
    for store in stores:
        db.executemany(
            "INSERT OR REPLACE INTO store_day VALUES (?, ?, ?, ?, ?)",
            [
                (store, f"{today - timedelta(days=day):%Y-%m-%d}", 10**8, 10**6, 10**11 - day)
                for day in range(200)
            ],
        )
    db.executemany(
        "INSERT INTO transfer(store_id, source, subject_kind, subject, bundle, bytes, at) "
        "VALUES (?, 'store-1', 'account', 'account-1', 'bundle', 1000000, ?)",
        [(stores[0], today.isoformat(timespec="seconds"))] * _TRANSFERS,
    )
    db.execute("COMMIT")
    copies = db.execute("SELECT count(*) FROM copy").fetchone()[0]
    db.close()
    return int(copies) * _PACKED


def _account(db: sqlite3.Connection, host: int, stores: list[int], number: int, days: int) -> None:
    name, job = f"account-{number}", number % _JOBS
    db.execute(
        "INSERT INTO account(name, host_id, home) VALUES (?, ?, ?)", (name, host, f"/home/{name}")
    )
    first, second = stores[job % _STORES], stores[(job + 1) % _STORES]
    begin = datetime.now(UTC) - timedelta(days=days)
    for day in range(days):
        moment = begin + timedelta(days=day)
        bundle = f"{moment:%Y-%m-%dT%H%M%SZ}-job-{job}"
        started = moment.isoformat(timespec="seconds")
        piece = {"name": f"{bundle}.files-0001.tar.zst", "bytes": _PACKED, "sha256": "a" * 64}
        manifest = {
            "started": started,
            "contents": {"files": {"entries": 20, "bytes": 9_000_000}},
            "pieces": [{**piece, "brought": True, "holds": 9_000_000, "used": 9_000_000}],
            "listing_sha256": "b" * 64,
        }
        row = db.execute(
            "INSERT INTO bundle(subject_kind, subject, name, job, host, moment, entries, bytes, "
            "packed, outcome, manifest) "
            "VALUES ('account', ?, ?, ?, 'reed-1', ?, 20, 9000000, ?, 'done', ?)",
            (name, bundle, f"job-{job}", started, _PACKED, json.dumps(manifest)),
        ).lastrowid
        for store in (first, second) if day % 7 else (first,):
            db.execute(
                "INSERT INTO copy(bundle_id, store_id, made) VALUES (?, ?, ?)",
                (row, store, started),
            )
    for store in (first, second):
        db.execute(
            "INSERT OR REPLACE INTO usage VALUES (?, 'account', ?, ?, ?, ?, 0)",
            (store, name, days, days * _PACKED, days * 9_000_000),
        )


def calls(client: Client) -> dict[str, Callable[[], object]]:
    """Return the calls that are timed, by what is said of them."""
    return {
        "overview, with all checks": client.overview,
        "calendar of two weeks, with collisions": client.calendar_show,
        "alerts": client.alerts_list,
        "accounts": client.accounts_list,
        "jobs": client.jobs_list,
        "bundles of a store": partial(client.bundles_list, store="store-0"),
        "stores, with forecast and lag": client.stores_list,
        "usage of a store: forecast, catch-up plan": partial(client.stores_usage, "store-0"),
        "transfers to a store": partial(client.stores_transfers, "store-0"),
    }


def p95(call: Callable[[], object]) -> float:
    """Return the 95th of a hundred times, in seconds; the first call, which fills caches, counts
    too.
    """
    times = []
    for _ in range(CALLS):
        begin = perf_counter()
        call()
        times.append(perf_counter() - begin)
    return sorted(times)[int(CALLS * 0.95) - 1]


def ticks(count: int) -> tuple[float, float]:
    """Return the longest and the usual time that a plan of so many timetables takes for a tick, in
    milliseconds, over a day of ticks every 20 seconds."""
    plan: StartPlan[int] = StartPlan()
    now = datetime(2026, 11, 26, tzinfo=UTC)
    zone = schedule.zone("Europe/London")
    texts = ("daily {h:02d}:{m:02d}", "hourly at :{m:02d}", "weekly sun,wed {h:02d}:{m:02d}")
    plan.renew(
        {
            number: Timed(
                schedule.parse(texts[number % 3].format(h=number % 24, m=number % 60)), zone
            )
            for number in range(count)
        },
        now,
    )
    took = []
    for _ in range(24 * 180):
        now += timedelta(seconds=20)
        began = perf_counter()
        plan.due(now)
        took.append(1000 * (perf_counter() - began))
    return max(took), sorted(took)[len(took) // 2]
