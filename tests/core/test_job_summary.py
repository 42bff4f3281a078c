"""The summary sentence of a job and its advice."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from fasciculus.core import job_summary, schedule
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.core.file_filters import FileRules
from fasciculus.core.retention import parse

START = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)


def advice(**changes: Any) -> str:
    base = {
        "contents": ["files", "databases"],
        "timetable_text": "daily 02:15",
        "keep": 7,
        "report_to": ["a@b.example"],
        "starts": [START],
        "others": [],
        "covers": 3,
        "enabled": True,
        "includes": False,
    }
    return " ".join(job_summary.advice(**{**base, **changes}))


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"contents": ["files"]}, "without databases"),
        ({"contents": ["databases"]}, "without the files"),
        ({"keep": 2}, "mistake that is noticed late"),
        ({"report_to": []}, "Nobody is notified"),
        ({"others": [("weekly", START + timedelta(minutes=3))]}, "five minutes of job “weekly”"),
        ({"covers": 0}, "covers nothing"),
        ({"includes": True}, "takes only what is included"),
        ({"timetable_text": "by hand", "starts": []}, "only when started by hand"),
    ],
)
def test_advice_names_the_mistake(changes: dict[Any, Any], words: str) -> None:
    assert advice() == ""
    assert words in advice(**changes)


def test_the_readback_is_one_sentence() -> None:
    found = job_summary.summary(
        subjects="accounts",
        choice="all_but",
        names=["a", "b"],
        covers=4,
        contents=["files", "mail"],
        messages=True,
        rules=FileRules(sets=("caches", "logs"), excludes=("*.bak",), older_than=30),
        databases=DatabaseRules(),
        hold_page=True,
        full_every=30,
        timetable=schedule.parse("weekly sun 03:00"),
        zone="UTC",
        held=["within 22:00-05:00 only"],
        stores=["boathouse", "attic"],
        keep={"boathouse": parse("4 newest"), "attic": parse("4 newest")},
        report_to=["duty@sedge-quill.example"],
        report_when="trouble",
        enabled=True,
    )
    assert found == (
        "Every Sunday at 03:00 (UTC time), within 22:00-05:00 only, it bundles files "
        "(without caches, logs, what 1 pattern matches and those "
        "older than 30 days) and mail settings with the messages of all accounts but a and b (4 "
        "now) to boathouse "
        "and attic, sets the sites' hold page meanwhile, stores only what changed, with a new "
        "full bundle every 30 days, "
        "keeps the newest 4 copies of each there, and mails "
        "duty@sedge-quill.example when something is wrong."
    )


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"keep": 1}, "With 1 copy a mistake"),
        ({"keep": 2}, "With 2 copies a mistake"),
        ({"keep": 3}, ""),
        ({"keep": 1, "timetable_text": "by hand", "enabled": False, "starts": []}, ""),
        ({"timetable_text": "by hand", "enabled": False, "starts": []}, ""),
        ({"contents": ["databases", "system"]}, ""),
        ({"contents": ["mail"]}, ""),
        ({"others": [("weekly", START + timedelta(minutes=5))]}, ""),
        ({"others": [("weekly", START - timedelta(minutes=4))]}, "five minutes of job “weekly”"),
        ({"others": [("a", START), ("b", START)]}, "job “b”"),
        ({"others": [("weekly", START)], "starts": []}, ""),
    ],
)
def test_advice_at_its_bounds(changes: dict[Any, Any], words: str) -> None:
    found = advice(**changes)
    assert words in found and bool(found) is bool(words)


def test_how_much_the_kept_copies_come_to() -> None:
    text = job_summary.fill_words(2048, 7, ["attic", "boathouse"])
    assert text == (
        "Full copies of the size last seen, 2.00 KiB packed, amount to 14.0 KiB on attic and "
        "boathouse when 7 are kept."
    )


SUMMARY = {
    "subjects": "accounts",
    "choice": "all",
    "names": [],
    "covers": 3,
    "contents": ["files", "databases", "mail"],
    "messages": False,
    "rules": FileRules(),
    "databases": DatabaseRules(),
    "hold_page": False,
    "full_every": 0,
    "timetable": schedule.parse("daily 02:15"),
    "zone": "UTC",
    "held": [],
    "stores": ["attic"],
    "keep": {"attic": parse("7 newest")},
    "report_to": [],
    "report_when": "always",
    "enabled": True,
}


def told(**changes: Any) -> str:
    return job_summary.summary(**{**SUMMARY, **changes})


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({}, "files, databases and mail settings of all accounts (3 now) to attic"),
        ({"choice": "listed", "names": ["millpond"], "covers": 1}, "of the account millpond to"),
        (
            {"choice": "all_but", "names": list("abcdef")},
            "of all accounts but a, b, c, d and 2 more (3 now)",
        ),
        ({"messages": True}, "mail settings with the messages"),
        ({"subjects": "hosts", "contents": ["databases"]}, "all databases of all hosts"),
        ({"databases": DatabaseRules(structure_only=True)}, "the structure of databases"),
        ({"rules": FileRules(larger_than=1 << 20)}, "files (without those larger than 1.00 MiB)"),
        ({"rules": FileRules(older_than=1)}, "files (without those older than 1 day)"),
        ({"rules": FileRules(includes=["/a"])}, "files (only of 1 pattern)"),
        ({"rules": FileRules(excludes=["a", "b"])}, "without what 2 patterns match"),
        ({"hold_page": True}, "sets the sites' hold page meanwhile"),
        ({"full_every": 30}, "with a new full bundle every 30 days"),
        ({"keep": {"attic": parse("1")}}, "keeps the newest 1 copy of each"),
        (
            {"keep": {"attic": parse("7 daily"), "reef": parse("for ever")}},
            "keeps of each 7 daily copies on attic and every copy forever on reef",
        ),
        ({"report_to": ["duty@x.example"]}, "mails duty@x.example each time"),
        ({"report_to": ["a@x.example"], "report_when": "trouble"}, "when something is wrong"),
        ({"enabled": False}, "Switched off. If enabled: every day"),
        ({"timetable": schedule.parse("by hand")}, "it bundles files"),
    ],
)
def test_the_summary_says_what_was_chosen(changes: dict[Any, Any], words: str) -> None:
    assert words in told(**changes)


@pytest.mark.parametrize(
    ("rules", "words"),
    [
        (DatabaseRules(names=("a",)), "databases (some of them)"),
        (DatabaseRules(tables=("a.b",)), "databases (some of them)"),
        (DatabaseRules(without=("a",)), "databases (without some tables)"),
        (DatabaseRules(without_tables=("a.b",)), "databases (without some tables)"),
        (DatabaseRules(without_rows=("a.b",)), "databases (without the rows of some tables)"),
        (
            DatabaseRules(names=("a",), without_rows=("a.b",)),
            "databases (some of them, without the rows of some tables)",
        ),
        (DatabaseRules(), "databases of all"),
    ],
)
def test_which_databases_are_said(rules: DatabaseRules, words: str) -> None:
    assert f"it bundles {words}" in told(contents=["databases"], databases=rules)


@pytest.mark.parametrize(
    ("names", "words"),
    [
        (["a"], "the account a to"),
        (["a", "b"], "the accounts a and b to"),
        (list("abcd"), "the accounts a, b, c and d to"),
        (list("abcde"), "the accounts a, b, c, d and 1 more to"),
    ],
)
def test_which_subjects_are_said(names: list[str], words: str) -> None:
    assert words in told(choice="listed", names=names)


def test_hosts_tags_and_patterns_are_said_in_words() -> None:
    names = ["host:reed-1", "tag:shops", "tag:clubs", "wp-*", "millpond"]
    those = "are on reed-1, have the tag shops or clubs, match wp-* or are named millpond (3 now)"
    assert f"of the accounts that {those} to" in told(choice="listed", names=names)
    assert f"of all accounts but those that {those} to" in told(choice="all_but", names=names)
    assert "“tag:shops” chooses nothing" in advice(matching_nothing=["tag:shops"])


def test_a_timetable_by_hand_has_no_zone() -> None:
    assert told(timetable=schedule.parse("by hand")).startswith("Only when started by hand, it")
    assert told(zone="Europe/London").startswith("Every day at 02:15 (Europe/London time), it")
    assert told(report_to=[]).endswith("and sends no mail.")
    assert told(enabled=False).startswith("Switched off. If enabled: every day at 02:15")
