"""Which sites, databases and mail domains are protected, and how well."""

from datetime import UTC, datetime, timedelta

import pytest

from fasciculus.core.coverage import (
    CoverageItem,
    CoveringJob,
    cover,
    promise_of,
)
from fasciculus.core.dump.filters import DatabaseRules

NOW = datetime(2026, 11, 24, 12, tzinfo=UTC)


DAY = timedelta(days=1)


def job(
    name,
    subjects="accounts",
    covers=("millpond",),
    contents=("files", "databases", "mail"),
    **databases,
):
    return CoveringJob(
        name, subjects, frozenset(covers), frozenset(contents), DatabaseRules(**databases), DAY
    )


@pytest.mark.parametrize(
    ("thing", "jobs", "newest", "state"),
    [
        (CoverageItem("site", "m.example", "millpond", "reed-1"), [], {}, "bare"),
        (
            CoverageItem("site", "m.example", "millpond", "reed-1"),
            [job("db", contents=("databases",))],
            {},
            "bare",
        ),
        (CoverageItem("site", "m.example", "millpond", "reed-1"), [job("n")], {}, "never"),
        (
            CoverageItem("site", "m.example", "millpond", "reed-1"),
            [job("n")],
            {("account", "millpond", "n"): 20},
            "protected",
        ),
        (
            CoverageItem("site", "m.example", "millpond", "reed-1"),
            [job("n")],
            {("account", "millpond", "n"): 25},
            "late",
        ),
        (
            CoverageItem("site", "m.example", "millpond", "reed-1"),
            [job("n"), job("s", "sites", ("m.example",))],
            {("account", "millpond", "n"): 25, ("site", "m.example", "s"): 2},
            "protected",
        ),
        (
            CoverageItem("database", "shop", "millpond", "reed-1", True),
            [job("n", without=("shop",))],
            {},
            "bare",
        ),
        (
            CoverageItem("database", "shop", "millpond", "reed-1", True),
            [job("n", structure_only=True)],
            {},
            "bare",
        ),
        (
            CoverageItem("database", "shop", "millpond", "reed-1", True),
            [job("h", "hosts", ("reed-1",))],
            {},
            "never",
        ),
        (
            CoverageItem("database", "x", "millpond", "reed-1", False),
            [job("h", "hosts", ("reed-1",))],
            {},
            "bare",
        ),
        (
            CoverageItem("database", "x", "millpond", "reed-1", False, "m.example"),
            [job("s", "sites", ("m.example",))],
            {},
            "never",
        ),
        (
            CoverageItem("mail domain", "m.example", "millpond", "reed-1"),
            [job("n", contents=("files",))],
            {},
            "bare",
        ),
    ],
)
def test_coverage(thing, jobs, newest, state):
    moments = {}
    for (kind, subject, name), hours in newest.items():
        moments.setdefault((kind, subject), {})[name] = (NOW - timedelta(hours=hours)).isoformat()
    assert cover([thing], jobs, moments, NOW)[0].state == state


def test_a_promise_is_the_longest_pause_and_a_quarter():
    assert promise_of([NOW, NOW + DAY, NOW + 4 * DAY]) == 3.75 * DAY
    assert promise_of([NOW, NOW + timedelta(hours=1)]) == timedelta(hours=3)
    assert promise_of([NOW]) is None
