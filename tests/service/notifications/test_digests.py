"""All runs of a day or a week in one message, told once, whatever is changed in between."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
import time_machine
from sample_records import SampleRecords
from web_hook import saved, webhook

from fasciculus.core.watch import Finding
from fasciculus.models import MailServer
from fasciculus.models.jobs.jobs import JobInput
from fasciculus.records.jobs import jobs
from fasciculus.records.messages import alerts, reports
from fasciculus.records.paging import PageRequest
from fasciculus.records.runs import runs
from fasciculus.service.background import digests
from fasciculus.service.notifications.reporter import Reporter
from fasciculus.service.settings.mail_settings import save_mail_server

DUTY, CHAIR = "duty@sedge-quill.example", "chair@sedge-quill.example"
#: A Tuesday.
NOON = datetime(2026, 11, 24, 12, 0, tzinfo=UTC)


@pytest.fixture
def office(heronmere: SampleRecords) -> Office:
    """The sender of digests of an installation with a channel."""
    with heronmere.records.write() as db:
        saved(db, heronmere.cipher, webhook("bell", "https://bell.example/"))
    return Office(heronmere)


class Office:
    def __init__(self, heronmere: SampleRecords) -> None:
        self.valley = heronmere
        self.reporter = Reporter(
            heronmere.config, heronmere.records, heronmere.cipher, heronmere.events
        )

    def job(self, name: str = "nightly", **fields: Any) -> JobInput:
        return self.valley.job(name, **{"report_to": [DUTY], "report_when": "daily", **fields})

    def send(self, moment: datetime) -> list[Any]:
        """Send everything due at a time; return its digests as (recipients, text)."""
        before = {row.id for row in self._all()}
        with time_machine.travel(moment, tick=False):
            count = digests.send_due(
                self.valley.records, self.valley.cipher, self.reporter, datetime.now(UTC)
            )
        fresh = [row for row in self._all() if row.id not in before]
        assert count == len(fresh) and all(row.kind == "digest" for row in fresh)
        return [
            (row.channel or row.recipients, reports.report(self.valley.db, row.id).text)
            for row in sorted(fresh, key=lambda row: row.id)
        ]

    def _all(self) -> list[Any]:
        return reports.reports(self.valley.db, PageRequest(limit=200)).items

    def ran(self, moment: datetime, name: str = "nightly", outcome: str = "done") -> int:
        with time_machine.travel(moment, tick=False), self.valley.records.write() as db:
            run = runs.add(db, jobs.job(db, name), "test", [])
            runs.end(db, run, outcome, "")
        return run


def test_it_comes_at_its_time_with_what_was_since_the_one_before(office: Office) -> None:
    office.job(zone="Europe/London")
    office.ran(NOON - timedelta(hours=1))
    assert office.send(NOON) == []
    office.ran(NOON + timedelta(hours=14))
    assert office.send(NOON + timedelta(hours=18, minutes=59)) == []
    ((people, text),) = office.send(NOON + timedelta(hours=19))
    assert people == [DUTY] and "1 run of 1 job" in text, "not what was before the first"
    assert office.send(NOON + timedelta(hours=20)) == []
    office.ran(NOON + timedelta(hours=38), outcome="failed")
    ((_, text),) = office.send(NOON + timedelta(hours=43))
    assert "0 of 1 run done; run 3 failed" in text
    ((_, text),) = office.send(NOON + timedelta(hours=67))
    assert "nightly: no run" in text, "quiet days are reported too"


def test_time_and_day_are_a_setting(office: Office) -> None:
    office.job()
    office.job("weekly", report_when="weekly")
    with office.valley.records.write() as db:
        new = MailServer(digest_time="18:30", digest_day="fri")
        save_mail_server(db, office.valley.cipher, new)
    assert office.send(NOON) == []
    assert office.send(NOON + timedelta(hours=6, minutes=29)) == []
    ((_, text),) = office.send(NOON + timedelta(hours=6, minutes=30))
    assert "nightly: no run" in text and "weekly" not in text
    kinds = [text for _, text in office.send(NOON + timedelta(days=3, hours=6, minutes=30))]
    assert len(kinds) == 2 and "weekly: no run" in kinds[1]


def test_a_month_in_one_message(office: Office) -> None:
    office.job(report_when="monthly")
    assert office.send(NOON) == []
    first = (NOON.replace(day=1) + timedelta(days=32)).replace(day=1, hour=7, minute=0)
    office.ran(NOON + timedelta(hours=1))
    office.ran(first - timedelta(hours=1))
    assert office.send(first - timedelta(minutes=1)) == []
    ((_, text),) = office.send(first)
    assert "2 of 2 runs done" in text or "2 runs" in text
    assert office.send(first + timedelta(days=27)) == []


def test_jobs_share_one_but_none_sees_those_of_others(office: Office) -> None:
    office.job()
    office.job("hourly")
    office.job("board", report_to=[CHAIR, DUTY])
    office.send(NOON)
    for name in ("nightly", "hourly", "board"):
        office.ran(NOON + timedelta(hours=1), name)
    found = office.send(NOON + timedelta(days=1))
    named = [
        (people, [n for n in ("nightly", "hourly", "board") if f"{n}:" in t]) for people, t in found
    ]
    assert sorted(named) == [([CHAIR, DUTY], ["board"]), ([DUTY], ["nightly", "hourly"])]


def test_a_channel_gets_one_also_where_nobody_has_mail(office: Office) -> None:
    office.job(report_to=[], channels=["bell"])
    office.job("hourly", channels=["bell"])
    office.send(NOON)
    office.ran(NOON + timedelta(hours=1))
    found = {str(to): text for to, text in office.send(NOON + timedelta(days=1))}
    assert set(found) == {"bell", str([DUTY])}
    assert "nightly: 1 of 1 run done" in found["bell"] and "hourly: no run" in found["bell"]
    assert "nightly" not in found[str([DUTY])]
    (number,) = [n for n in reports.due(office.valley.db) if _waits(office, n).channel]
    assert json.loads(_waits(office, number).message)["event"] == "digest"


def _waits(office: Office, number: int) -> Any:
    return reports.waiting(office.valley.db, number)


def test_what_was_is_told_also_when_addresses_change_before_it_comes(office: Office) -> None:
    office.job()
    office.send(NOON)
    office.ran(NOON + timedelta(hours=14))
    office.job(report_to=[CHAIR])
    ((people, text),) = office.send(NOON + timedelta(hours=19))
    assert people == [CHAIR] and "nightly: 1 of 1 run done" in text
    office.job(report_when="trouble")
    assert office.send(NOON + timedelta(days=2)) == []
    office.job(report_when="daily")
    assert office.send(NOON + timedelta(days=4)) == [], "again, from now on"


def test_after_a_long_time_down_it_has_no_more_than_two_of_its_times(office: Office) -> None:
    office.job()
    office.send(NOON)
    office.ran(NOON + timedelta(hours=1))
    office.ran(NOON + timedelta(days=9))
    ((_, text),) = office.send(NOON + timedelta(days=10))
    assert "1 run of 1 job" in text


def test_it_has_the_open_alerts_of_its_jobs_and_of_no_one_job(office: Office) -> None:
    office.job()
    office.job("board", report_to=[CHAIR])
    with office.valley.records.write() as db:
        for job in ("nightly", "board", ""):
            text = f"Trouble of {job or 'the service'}."
            alerts.add(db, Finding(f"size {job}", "size", "broken", job, text, "/", job))
    office.send(NOON)
    found = {people[0]: text for people, text in office.send(NOON + timedelta(days=1))}
    assert "Trouble of nightly." in found[DUTY] and "Trouble of board." in found[CHAIR]
    assert "Trouble of board." not in found[DUTY]
    assert all("Trouble of the service." in text for text in found.values())
