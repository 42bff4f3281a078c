"""The summary sentence of a job and its advice."""

from datetime import UTC, datetime, timedelta

import pytest

from fasciculus.core import job_summary, schedule
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.core.file_filters import FileRules

START = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)


def advice(**changes):
    base = {
        "contents": ["files", "databases"],
        "timetable_text": "daily 02:15",
        "keep": 7,
        "store_kinds": ["sftp"],
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
        ({"store_kinds": ["folder", "folder"]}, "stay on this machine"),
        ({"contents": ["files"]}, "without the databases"),
        ({"contents": ["databases"]}, "without the files"),
        ({"keep": 2}, "mistake that is noticed late"),
        ({"report_to": []}, "Nobody is told"),
        ({"others": [("weekly", START + timedelta(minutes=3))]}, "five minutes of job “weekly”"),
        ({"covers": 0}, "covers nothing"),
        ({"includes": True}, "takes only what is included"),
        ({"timetable_text": "by hand", "starts": []}, "only when somebody starts it"),
    ],
)
def test_advice_names_the_mistake(changes, words):
    assert advice() == ""
    assert words in advice(**changes)


def test_the_readback_is_one_sentence():
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
        stores=["boathouse", "attic"],
        keep=4,
        report_to=["duty@sedge-quill.example"],
        report_when="trouble",
        enabled=True,
    )
    assert found == (
        "Every Sunday at 03:00 (UTC time), it bundles files (without caches, logs, what 1 "
        "pattern matches and those "
        "older than 30 days) and mail settings with the messages of all accounts but a and b (4 "
        "now) to boathouse "
        "and attic, sets the sites' hold page meanwhile, stores only what changed, with a new "
        "full bundle every 30 days, "
        "keeps the newest 4 copies of each there, and mails "
        "duty@sedge-quill.example when something is wrong."
    )
