"""Upcoming starts, durations and overlaps, from the records."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from sample_records import SampleRecords

from fasciculus.core.scope import EVERYTHING
from fasciculus.models.jobs.jobs import JobInput
from fasciculus.records.db import stamp
from fasciculus.records.jobs import pauses
from fasciculus.records.runs import runs
from fasciculus.service.usecases.jobs.coming_starts import calendar

NOW = datetime(2026, 11, 26, 12, tzinfo=UTC)


def ran(heronmere: SampleRecords, job: JobInput, minutes: int) -> None:
    """A run of a job that took so long, yesterday."""
    with heronmere.records.write() as db:
        run = runs.add(db, job, "test", [])
        runs.end(db, run, "done", "")
        ended = NOW - timedelta(days=1)
        db.execute(
            "UPDATE run SET started=?, ended=? WHERE id=?",
            (stamp(ended - timedelta(minutes=minutes)), stamp(ended), run),
        )


def test_jobs_that_will_meet_are_named_with_a_time_that_parts_them(
    heronmere: SampleRecords,
) -> None:
    nightly = heronmere.job("nightly", timetable="daily 02:00", zone="Europe/London")
    hourly = heronmere.job("hourly", timetable="daily 02:20", zone="Europe/London")
    heronmere.job(
        "elsewhere",
        timetable="daily 02:00",
        stores=["boathouse"],
        names=[],
        subjects="hosts",
        contents=["system"],
        enabled=False,
    )
    for minutes in (30, 30, 300):
        ran(heronmere, nightly, minutes)
    ran(heronmere, hourly, 10)
    found = calendar(heronmere.db, EVERYTHING, NOW, 8)
    assert [start.job for start in found.starts] == ["nightly", "hourly"] * 8
    assert found.starts[0].seconds == 30 * 60, "the middle one"
    (row,) = found.collisions
    assert (row.count, row.move, len(row.moments)) == (7, 10, 7)
    assert row.sentence == (
        "Jobs nightly and hourly will run at the same time 7 times in the coming week, on host "
        "reed-1 and store attic. Start hourly 10 minutes later (at 02:30), and they do not meet."
    )


def test_a_spread_takes_at_least_as_long_and_a_pause_takes_starts_away(
    heronmere: SampleRecords,
) -> None:
    job = heronmere.job("nightly", timetable="daily 02:00", starting={"spread": 60})
    ran(heronmere, job, 1)
    assert calendar(heronmere.db, EVERYTHING, NOW, 2).starts[0].seconds == 3600
    with heronmere.records.write() as db:
        pauses.pause(db, "nightly", NOW + timedelta(days=1), "", "tests")
    assert [start.at.day for start in calendar(heronmere.db, EVERYTHING, NOW, 2).starts] == [28]
