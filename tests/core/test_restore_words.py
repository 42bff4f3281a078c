"""Restores in words: sums of plans, drills, reports, and instructions."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

import pytest

from fasciculus.core.instructions import (
    InstructedBundle,
    by_hand,
    restored_name,
    with_fasciculus,
)
from fasciculus.core.reports.restore_report import RestoreReport
from fasciculus.core.restore.actions import Action
from fasciculus.core.restore.drill import DrillFigures
from fasciculus.core.restore.plan_line import PlanLine, PlanSummary
from fasciculus.core.subject import Subject

BUNDLE = InstructedBundle(
    7,
    Subject("account", "millpond"),
    "2026-11-24T021500Z-nightly",
    True,
    False,
    ["files", "databases", "mail"],
    ["p-1.tar.zst", "p-2.tar.gz"],
    [("attic", "/srv/attic"), ("boathouse", "")],
    "/srv/attic",
    [("mariadb", "shop"), ("other", "log")],
)


def test_the_sums_of_a_plan() -> None:
    found = PlanSummary()
    for action, size, before in (
        (Action.CREATE, 5, 0),
        (Action.REPLACE, 7, 3),
        (Action.REMOVE, 0, 11),
        (Action.ATTRIBUTES, 1, 1),
        (Action.KEEP, 2, 2),
    ):
        found.add(PlanLine(action, "x", "file", size, before))
    assert (found.write_bytes, found.aside_bytes, found.changes) == (12, 14, 4)
    assert found.kept == 1
    other = PlanSummary(created=2, write_bytes=10, free_bytes=99)
    found.include(other)
    assert (found.created, found.write_bytes, found.free_bytes) == (3, 22, None)


def test_a_drill_in_one_line() -> None:
    assert DrillFigures(2, 2048).words == "2 files compared, 2.00 KiB"
    assert DrillFigures(1, 1, 1, 2, 500).words.endswith("1 database loaded, 2 tables, 500 rows")


def test_a_restore_is_reported_with_what_undoes_it() -> None:
    moment = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)
    rest = ("attic", "in place", "done", "", 3, 2048, 42.0, moment, "UTC", "administrator")
    found = RestoreReport(12, False, "millpond", BUNDLE.name, *rest)
    assert found.title == "[Fasciculus] restore of millpond: done" and not found.trouble
    assert found.sentence == "3 entries, 2.00 KiB, in place, in 42.0 s."
    assert found.local(moment) == "2026-11-24 02:15:00 UTC"
    undone = replace(found, is_undo=True)
    assert undone.title == "[Fasciculus] undo of a restore of millpond: done"
    assert "before the restore is back" in undone.sentence
    failed = replace(found, outcome="failed", error="2 entries did not come back.")
    assert failed.trouble and failed.sentence == failed.error


def test_how_a_bundle_is_brought_back() -> None:
    ours = {step.title: step for step in with_fasciculus(BUNDLE)}
    assert next(iter(ours)).startswith("Put files and databases back")
    assert "fasciculus restore 7 --database shop=shop_restored" in str(ours)
    assert any("--mail-domain DOMAIN" in str(step.commands) for step in ours.values())
    steps = by_hand(BUNDLE)
    assert "sha256sum -c SHA256SUMS" in steps[0].commands
    unpack = next(step for step in steps if "Unpack" in step.title)
    assert "--zstd" in unpack.commands[1] and "-z" in unpack.commands[2]
    assert any("in the order of loading" in step.note for step in steps)
    assert restored_name("x" * 64) == "x" * 55 + "_restored"


@pytest.mark.parametrize("is_sealed", [False, True])
def test_elsewhere_and_incremental(is_sealed: bool) -> None:
    pieces = ["p-1.tar.zst.age", "p-2.tar.zst.2.age"] if is_sealed else ["p-1.tar"]
    far = replace(BUNDLE, folder="", is_full=False, is_sealed=is_sealed, pieces=pieces)
    steps = by_hand(replace(far, stores=[], databases=[]))
    assert "none is left" in steps[0].note and "bring-back.py" in str(steps[-1].commands)
    text = str(by_hand(replace(far, is_full=True)))
    assert ("age -d" in text) == is_sealed
    assert "> p-1.tar.zst" in text if is_sealed else "-xpf" in text
    host = replace(BUNDLE, subject=Subject("host", "reed-1"), contents=["system"], databases=[])
    assert "in-place" not in str(with_fasciculus(host))
