"""Recipients of alerts and of damage; nobody gets the same news twice."""

from __future__ import annotations

import json
from typing import Any

import pytest
from sample_records import MILLPOND, SampleRecords
from web_hook import saved, webhook

from fasciculus.contracts.events import DamageFound
from fasciculus.core.watch import FAILED, Finding
from fasciculus.models import Alert, WatchSettings
from fasciculus.records.bundles import damage
from fasciculus.records.messages import reports
from fasciculus.records.paging import PageRequest
from fasciculus.records.runs import maintenance
from fasciculus.records.runs.maintenance import MaintenanceOptions
from fasciculus.service.notifications.alert_news import AlertNews
from fasciculus.service.notifications.reporter import Reporter
from fasciculus.service.settings.watch_settings import save_watch_settings

DUTY, NIGHT, CHAIR = (f"{name}@sedge-quill.example" for name in ("duty", "night", "chair"))


@pytest.fixture
def valley(heronmere: SampleRecords) -> SampleRecords:
    with heronmere.records.write() as db:
        for name in ("bell", "horn"):
            saved(db, heronmere.cipher, webhook(name, f"https://{name}.example/"))
    heronmere.job("nightly", report_to=[DUTY], report_when="trouble")
    heronmere.job("board", report_to=[CHAIR], channels=["bell"], report_when="recovery")
    heronmere.job("quiet", channels=["bell"], report_when="daily")
    return heronmere


def watch(valley: SampleRecords, **fields: Any) -> None:
    with valley.records.write() as db:
        save_watch_settings(db, WatchSettings(**fields))


def finding(job: str, **more: Any) -> Finding:
    check = more.pop("check", "size")
    return Finding(
        f"{check} {job}", check, "broken", job, f"{check} of {job}", "/jobs", job, **more
    )


def ended(job: str, check: str = "size") -> Alert:
    moment = "2026-11-26T02:15:00Z"
    return Alert(
        id=1,
        key=check,
        check=check,
        level="broken",
        job=job,
        about=job,
        text=f"{check} of {job}",
        link="/jobs",
        opened=moment,
        closed=moment,
    )


def told(
    valley: SampleRecords,
    opened: list[Any] | tuple[Any, ...] = (),
    reminded: list[Any] | tuple[Any, ...] = (),
    closed: list[Any] | tuple[Any, ...] = (),
) -> dict[Any, Any]:
    """The recipients of messages, addresses or channel, and their titles."""
    news = AlertNews(list(opened), list(reminded), list(closed))
    reporter = Reporter(valley.config, valley.records, valley.cipher, valley.events)
    with valley.records.write() as db:
        reporter.alerts(db, news)
        found = {
            row.channel or tuple(row.recipients): row.title.removeprefix("[Fasciculus] ")
            for row in reports.reports(db, PageRequest(limit=100)).items
        }
        db.execute("DELETE FROM report")
    return found


def test_people_of_the_job_are_told_and_those_of_the_watch_of_the_rest(
    valley: SampleRecords,
) -> None:
    watch(valley, recipients=[NIGHT], channels=["horn"])
    one, other = finding("nightly"), finding("")
    assert told(valley, [one, other]) == {
        (DUTY,): "alert opened: size of nightly",
        (NIGHT,): "alert opened: size of ",
        "horn": "2 alerts: 2 opened",
    }
    assert set(told(valley, [finding("board")])) == {(CHAIR,), "bell"}
    assert set(told(valley, [finding("gone job")])) == {(NIGHT,), "horn"}


def test_without_people_of_the_watch_all_who_get_reports_are_told(valley: SampleRecords) -> None:
    assert set(told(valley, [finding("")])) == {(CHAIR, DUTY)}
    assert set(told(valley, [finding("quiet")])) == {(CHAIR, DUTY), "bell"}


def test_several_alerts_are_one_message(valley: SampleRecords) -> None:
    rows = [finding("nightly"), finding("nightly", check="changes")]
    found = told(valley, rows, closed=[ended("nightly", "lag")])
    assert found == {(DUTY,): "3 alerts: 2 opened, 1 closed"}


def test_what_a_report_tells_is_told_to_others_only(valley: SampleRecords) -> None:
    watch(valley, recipients=[NIGHT], channels=["horn"])

    def failed(job: str) -> Finding:
        return finding(job, check=FAILED, told_by_report=True)

    assert set(told(valley, [failed("nightly")])) == {"horn"}, "the job names people, no channel"
    assert told(valley, [failed("board")]) == {}
    assert told(valley, [finding("", check="damage", told_by_report=True)]) == {}
    assert set(told(valley, reminded=[failed("nightly")])) == {(DUTY,), "horn"}, "once more"


def test_the_end_of_trouble_is_told_by_the_report_on_recovery_where_there_is_one(
    valley: SampleRecords,
) -> None:
    watch(valley, recipients=[NIGHT])
    assert told(valley, closed=[ended("board", FAILED)]) == {}
    assert told(valley, closed=[ended("nightly", FAILED)]) == {
        (DUTY,): f"alert closed: {FAILED} of nightly"
    }
    assert set(told(valley, closed=[ended("board", "size")])) == {(CHAIR,), "bell"}
    assert set(told(valley, closed=[ended("gone job", FAILED)])) == {(NIGHT,)}


def test_a_channel_learns_whether_it_is_trouble(valley: SampleRecords) -> None:
    for news, trouble in (([finding("board")], True), ([], False)):
        reporter = Reporter(valley.config, valley.records, valley.cipher, valley.events)
        with valley.records.write() as db:
            reporter.alerts(db, AlertNews(news, [], [] if news else [ended("board")]))
            (body,) = [m for (m,) in db.execute("SELECT message FROM report WHERE channel='bell'")]
            db.execute("DELETE FROM report")
        message = json.loads(body)
        assert (message["event"], message["trouble"]) == ("alert", trouble)
        assert "size of board" in message["text"]


# Damage ------------------------------------------------------------------------------


def damaged(
    valley: SampleRecords,
    kind: str,
    files: list[str] | tuple[Any, ...] = (),
    outcome: str = "warned",
) -> dict[Any, Any]:
    """Maintenance of millpond's copies on the attic with some damage; return the recipients of its
    messages and their texts.
    """
    reporter = Reporter(valley.config, valley.records, valley.cipher, valley.events)
    with valley.records.write() as db:
        number = maintenance.add(db, kind, "attic", MILLPOND, MaintenanceOptions(), "test")
        for file in files:
            row = DamageFound(file=file, reason="is missing", bundles=[], files=[], harmed=0)
            damage.found(db, "attic", MILLPOND, row)
        maintenance.end(db, number, outcome, "")
        reporter.maintenance(db, number)
        rows = reports.reports(db, PageRequest(limit=100)).items
        found = {
            row.channel or tuple(row.recipients): reports.report(db, row.id).text for row in rows
        }
        db.execute("DELETE FROM report")
    return found


def test_damage_is_told_to_those_whose_jobs_made_the_copies(valley: SampleRecords) -> None:
    watch(valley, recipients=[NIGHT], channels=["horn"])
    valley.bundle(0, job="nightly")
    assert set(damaged(valley, "verify", ["piece-one"])) == {(DUTY,), "horn"}
    valley.bundle(1, job="board")
    assert set(damaged(valley, "verify", ["piece-two"])) == {(CHAIR, DUTY), "bell"}


def test_damage_of_what_nobody_is_named_for_is_told_to_the_watch(valley: SampleRecords) -> None:
    watch(valley, recipients=[NIGHT])
    valley.bundle(0, job="gone")
    assert set(damaged(valley, "verify", ["piece-one"])) == {(NIGHT,)}


def test_damage_is_told_when_it_is_found_and_what_is_left_of_it_when_it_was_to_be_repaired(
    valley: SampleRecords,
) -> None:
    valley.bundle(0, job="nightly")
    (text,) = damaged(valley, "verify", ["piece-one", "piece-two"]).values()
    assert "piece-one" in text and "piece-two" in text
    assert damaged(valley, "verify", ["piece-one"]) == {}, "it is known"
    (text,) = damaged(valley, "verify", ["piece-three"]).values()
    assert "piece-three" in text and "piece-one" not in text
    (text,) = damaged(valley, "repair").values()
    assert all(f"piece-{n}" in text for n in ("one", "two", "three")), "all that is left"
    assert damaged(valley, "repair", outcome="cancelled") == damaged(valley, "repack") == {}
