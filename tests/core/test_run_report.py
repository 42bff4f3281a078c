"""The words of reports, summaries and paths."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from fasciculus.core.outcome import worst
from fasciculus.core.reports.maintenance_report import DamageLine, MaintenanceReport
from fasciculus.core.reports.run_report import CopyLine, RunReport, TaskLine

AT = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)
LINE = DamageLine("pieces/p", "is missing", ["b1", "b2"], ["files/index.html"], 1)


def report(
    kind: str = "verify",
    damage: tuple[Any, ...] = (LINE,),
    helpers: list[str] | tuple[Any, ...] = (),
) -> MaintenanceReport:
    return MaintenanceReport(
        maintenance=3,
        kind=kind,
        store="attic",
        subject_kind="account",
        subject="millpond",
        outcome="failed",
        sentence="1 file is missing.",
        ended=AT,
        zone="Europe/London",
        started_by="timetable",
        damage=list(damage),
        helpers=list(helpers),
    )


@pytest.mark.parametrize(
    ("found", "title", "step"),
    [
        (report(helpers=["cellar"]), "damage found", "It is being repaired from cellar now"),
        (report(), "damage found", "No other store has copies to repair it from."),
        (report("repair", ()), "damage repaired", "is whole again"),
        (report("repair"), "damage not repaired", "Check its disk."),
    ],
)
def test_a_report_of_damage_says_what_happens_next(
    found: MaintenanceReport, title: str, step: str
) -> None:
    assert found.title == f"[Fasciculus] attic: {title} (millpond)"
    assert step in found.next_step
    assert found.local(AT).startswith("2026-11-24 02:15") and "GMT" in found.local(AT)
    assert LINE.harm_words == "2 bundles, 1 entry"


def test_a_report_of_a_run_adds_up() -> None:
    good = TaskLine(
        subject_kind="account",
        subject="millpond",
        outcome="done",
        entries=3,
        bytes=2048,
        packed=1024,
        seconds=61.4,
        copies=[CopyLine("attic", ""), CopyLine("cellar", "full")],
    )
    found = RunReport(7, "nightly", "partial", AT, AT, "UTC", "timetable", [good, good])
    assert found.trouble and found.bytes == 4096 and found.packed == 2048
    assert found.stores == ["attic"], "a copy that failed is none"
    assert found.outcome_words == "a copy is missing" and good.outcome_words == "done"
    assert (good.size_words, good.packed_words) == ("2.00 KiB", "1.00 KiB")
    assert good.duration_words == "1 min 01 s"
    assert not RunReport(8, "n", "done", AT, AT, "UTC", "x", []).trouble


def run_of(*tasks: TaskLine) -> RunReport:
    return RunReport(
        7,
        "nightly",
        worst([t.outcome for t in tasks]),
        AT,
        AT + timedelta(seconds=75),
        "Europe/London",
        "timetable",
        list(tasks),
    )


def test_a_report_says_what_was_stored_where_and_what_was_not() -> None:
    good = TaskLine(
        "account",
        "millpond",
        "done",
        "b",
        10,
        2048,
        1024,
        3,
        copies=[CopyLine("boathouse", kept=7)],
    )
    found = run_of(good)
    assert found.sentence == (
        "nightly: 1 bundle of 2.00 KiB (1.00 KiB packed) stored on boathouse; took 1 min 15 s."
    )
    assert not found.trouble and found.local(AT) == "2026-11-24 02:15:00 GMT"
    bad = TaskLine("account", "ferryline", "failed", error="The home folder /x does not exist.")
    part = TaskLine(
        "account",
        "lanternchoir",
        "partial",
        "b",
        1,
        1,
        1,
        1,
        warnings=["a", "b"],
        copies=[CopyLine("boathouse"), CopyLine("attic", "It is full.")],
    )
    found = run_of(good, bad, part)
    assert found.outcome == "failed" and found.trouble
    for words in (
        "2 bundles",
        "ferryline failed: The home folder /x does not exist",
        "copies missing on attic",
        "2 warnings",
    ):
        assert words in found.sentence
    assert worst([]) == "done" and worst(["done", "cancelled", "interrupted"]) == "interrupted"


def task(subject: str, outcome: str = "done", **more: Any) -> TaskLine:
    return TaskLine("account", subject, outcome, "b", 1, 1024, 512, 1, **more)


def test_the_worst_of_many_counts() -> None:
    order = ["done", "warned", "skipped", "cancelled", "interrupted", "partial", "failed"]
    for better, worse in zip(order, order[1:], strict=False):
        assert worst([better, worse]) == worst([worse, better]) == worse
    assert worst(["done", "done"]) == "done"


@pytest.mark.parametrize("outcome", ["warned", "skipped", "cancelled", "partial", "failed"])
def test_whatever_is_not_done_is_to_be_looked_at(outcome: str) -> None:
    assert run_of(task("a", outcome)).trouble
    assert not run_of(task("a")).trouble


def test_three_that_failed_are_named_and_the_rest_counted() -> None:
    bad = [task(f"a{n}", "failed", error=f"Reason {n}.") for n in range(3)]
    text = run_of(*bad).sentence
    assert text == (
        "nightly: a0 failed: Reason 0; a1 failed: Reason 1; a2 failed: Reason 2; took 1 min 15 s."
    )
    more = run_of(*bad, task("a3", "cancelled"), task("a4", "failed")).sentence
    assert "a2 failed: Reason 2; and 2 more; took" in more and "a3" not in more


def test_warned_and_partial_bundles_are_stored_ones() -> None:
    found = run_of(
        task("a", "warned", warnings=["x"], copies=[CopyLine("attic")]),
        task("b", "partial", copies=[CopyLine("attic"), CopyLine("cellar", "full")]),
    )
    assert found.sentence == (
        "nightly: 2 bundles of 2.00 KiB (1.00 KiB packed) stored on attic; "
        "copies missing on cellar; 1 warning; took 1 min 15 s."
    )


def test_a_night_on_which_nothing_changed() -> None:
    same = TaskLine("account", "a", "done", "b", 1, 1024, 0, 1, copies=[CopyLine("attic")])
    assert "1 bundle of 1.00 KiB (nothing new to pack) stored on attic" in run_of(same).sentence
    assert run_of().sentence == "nightly: nothing to do; took 1 min 15 s."


def test_a_clock_that_went_back_is_not_shown() -> None:
    found = RunReport(7, "nightly", "done", AT, AT - timedelta(seconds=5), "UTC", "x", [])
    assert found.sentence.endswith("took 0.0 s.")
    assert found.title == "[Fasciculus] nightly: done (run 7)"


def test_what_repairing_left_damaged() -> None:
    assert report("repair").next_step.startswith("Until then, and in the older bundles for good")
    assert report("repair").next_step.endswith("Check its disk.")
    found = report(helpers=["cellar", "shed"]).next_step
    assert "It is being repaired from cellar and shed now; another report says" in found
    assert found.endswith("The next run stores the contents of the damaged files again, by itself.")
    alone = report().next_step
    assert alone.startswith("No other store has copies to repair it from. The next run stores")
    assert alone.endswith("Check its disk.")
    many = DamageLine("p", "is missing", ["a"], ["x", "y"], 5)
    assert many.harm_words == "1 bundle, 5 entries"


def test_what_failed_for_one_reason_is_told_once() -> None:
    names = ("choir", "ferry", "mill", "school")
    bad = [
        TaskLine("account", name, "failed", error=f"The folder /home/{name} does not exist.")
        for name in names
    ]
    single = TaskLine("account", "shop", "failed", error="Nothing answers.")
    odd = TaskLine("account", "odd", "cancelled", error="Nothing answers.")
    found = run_of(*bad, single, odd, task("good"))
    assert (
        "4 accounts failed (choir, ferry, mill and 1 more): The folder /home/… does not exist; "
        "shop failed: Nothing answers; odd cancelled: Nothing answers" in found.sentence
    )
    (cause,) = found.shared_causes
    assert cause.whom == "4 accounts" and cause.subjects == names
    assert [row.subject for row in found.shown_singly] == ["shop", "odd", "good"]
    two = run_of(*bad[:2], task("good")).shared_causes[0]
    assert two.names == "choir and ferry"
