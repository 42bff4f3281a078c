"""The texts of digests and alerts, and the rules for reports."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from fasciculus.core.reports.alert_report import AlertLine, AlertReport
from fasciculus.core.reports.digest import Digest, JobDigest, StoreTotal
from fasciculus.core.reports.report_rules import (
    is_trouble,
    tells_of_recovery,
    tells_of_trouble,
    wants,
)
from fasciculus.core.reports.run_report import RunReport, TaskLine

AT = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)


def run(number: int, outcome: str = "done", packed: int = 1024) -> RunReport:
    task = TaskLine("account", "millpond", outcome, packed=packed)
    return RunReport(number, "nightly", outcome, AT, AT, "UTC", "timetable", [task])


def digest(*jobs: Any, kind: str = "daily") -> Digest:
    return Digest(kind, AT, AT + timedelta(days=1), "Europe/London", list(jobs))


# When a report is wanted -----------------------------------------------------------------


@pytest.mark.parametrize(
    ("when", "outcome", "previous", "wanted"),
    [
        ("always", "done", "done", True),
        ("trouble", "done", "failed", False),
        ("trouble", "warned", None, True),
        ("recovery", "done", "failed", True),
        ("recovery", "done", "done", False),
        ("recovery", "done", None, False),
        ("recovery", "partial", "done", True),
        ("daily", "failed", "done", False),
        ("never", "failed", "done", False),
    ],
)
def test_when_a_report_is_wanted(
    when: str, outcome: str, previous: str | None, wanted: bool
) -> None:
    assert wants(when, outcome, previous) is wanted


@pytest.mark.parametrize("when", ["always", "trouble", "recovery", "daily", "weekly", "never"])
def test_who_is_told_at_once_is_told_by_the_report(when: str) -> None:
    assert tells_of_trouble(when) is all(wants(when, o, "done") for o in ("failed", "partial"))
    assert tells_of_recovery(when) is wants(when, "done", "failed")
    assert not is_trouble("done") and is_trouble("warned")


# Digests ---------------------------------------------------------------------------------


def test_a_digest_counts_runs_and_names_those_that_are_trouble() -> None:
    found = digest(
        JobDigest("nightly", [run(1), run(2, "failed"), run(3, "partial"), run(4)]),
        JobDigest("hourly", [run(5)]),
        JobDigest("yearly", []),
    )
    nightly, hourly, yearly = found.jobs
    assert nightly.words == "2 of 4 runs done; run 2 failed, run 3 a copy is missing"
    assert (hourly.words, yearly.words) == ("1 of 1 run done", "no run")
    assert (nightly.outcome, yearly.outcome) == ("done", "skipped")
    assert (found.runs, found.troubled, found.trouble, found.outcome) == (5, 2, True, "done")
    assert found.title == "[Fasciculus] daily digest: 2 of 5 runs not done (2026-11-25)"
    assert found.sentence == "5 runs of 3 jobs, 2 of them not done; 5.00 KiB packed and stored."


def test_a_digest_is_trouble_when_a_job_ended_badly_last() -> None:
    bad = digest(JobDigest("a", [run(1), run(2, "failed")]), JobDigest("b", [run(3, "warned")]))
    assert bad.trouble and bad.outcome == "failed"
    good = digest(JobDigest("a", [run(1)]), kind="weekly")
    assert not good.trouble
    assert good.title == "[Fasciculus] weekly digest: 1 run done (2026-11-25)"
    assert good.sentence == "1 run of 1 job; 1.00 KiB packed and stored."
    assert not digest(JobDigest("a", [run(1)]), JobDigest("yearly", [])).trouble
    assert digest(JobDigest("a", [run(1, "failed")])).sentence.startswith(
        "1 run of 1 job, not done;"
    )
    nothing = digest()
    assert (nothing.outcome, nothing.runs) == ("skipped", 0)


def test_of_much_trouble_the_first_is_named_and_the_rest_counted() -> None:
    found = JobDigest("a", [run(n, "failed") for n in range(1, 7)])
    assert found.words == "0 of 6 runs done; run 1 failed, run 2 failed, run 3 failed, and 3 more"


def test_moments_are_in_the_zone_of_the_digest() -> None:
    found = digest()
    assert found.local(datetime(2026, 7, 1, 6, tzinfo=UTC)) == "2026-07-01 07:00:00 BST"
    assert StoreTotal("attic", 2, 2048).size_words == "2.00 KiB"


# Alerts ----------------------------------------------------------------------------------


def alerts(*states: Any) -> AlertReport:
    lines = [AlertLine(state, "broken", f"thing {n}") for n, state in enumerate(states, 1)]
    return AlertReport(AT, "UTC", lines)


@pytest.mark.parametrize(
    ("states", "title", "trouble"),
    [
        (("opened",), "alert opened: thing 1", True),
        (("closed",), "alert closed: thing 1", False),
        (("open still",), "alert open still: thing 1", True),
        (("opened", "opened"), "2 alerts: 2 opened", True),
        (("closed", "opened", "open still"), "3 alerts: 1 opened, 1 open still, 1 closed", True),
        (("closed", "closed"), "2 alerts: 2 closed", False),
    ],
)
def test_the_title_of_alerts(states: tuple[Any, ...], title: str, trouble: bool) -> None:
    found = alerts(*states)
    assert (found.title, found.sentence) == (f"[Fasciculus] {title}", title)
    assert found.trouble is trouble
    assert found.local(AT) == "2026-11-24 02:15:00 UTC"
