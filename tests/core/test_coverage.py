"""Coverage of sites, databases and mail domains."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

import pytest

from fasciculus.core.coverage import (
    CoverageItem,
    CoverageResult,
    CoveringJob,
    cover,
    max_age_of,
)
from fasciculus.core.dump.filters import DatabaseRules

NOW = datetime(2026, 11, 24, 12, tzinfo=UTC)


DAY = timedelta(days=1)


def job(
    name: str,
    subjects: str = "accounts",
    covers: tuple[Any, ...] = ("millpond",),
    contents: tuple[Any, ...] = ("files", "databases", "mail"),
    **databases: Any,
) -> CoveringJob:
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
def test_coverage(thing: CoverageItem, jobs: list[Any], newest: dict[Any, Any], state: str) -> None:
    moments = {}
    for (kind, subject, name), hours in newest.items():
        moments.setdefault((kind, subject), {})[name] = (NOW - timedelta(hours=hours)).isoformat()
    assert cover([thing], jobs, moments, NOW)[0].state == state


def test_a_promise_is_the_longest_pause_and_a_quarter() -> None:
    assert max_age_of([NOW, NOW + DAY, NOW + 4 * DAY]) == 3.75 * DAY
    assert max_age_of([NOW, NOW + timedelta(hours=1)]) == timedelta(hours=3)
    assert max_age_of([NOW]) is None


SITE = CoverageItem("site", "m.example", "millpond", "reed-1")
SHOP = CoverageItem("database", "shop", "millpond", "reed-1", on_server=True, site="m.example")


def at(hours: int) -> str:
    """The moment that many hours before now, as the records write it."""
    return (NOW - timedelta(hours=hours)).isoformat()


def one(thing: CoverageItem, jobs: list[Any], newest: dict[Any, Any]) -> CoverageResult:
    (found,) = cover([thing], jobs, newest, NOW)
    assert found.thing is thing
    return found


def test_every_job_that_covers_is_named_with_the_newest_copy_of_all() -> None:
    jobs = [job("n"), job("weekly"), job("other", covers=("ferryline",)), job("s", "sites", ())]
    found = one(SITE, jobs, {("account", "millpond"): {"n": at(30), "weekly": at(26)}})
    assert (found.state, found.jobs, found.newest) == ("late", ["n", "weekly"], at(26))
    found = one(SITE, jobs, {("account", "millpond"): {"other": at(1)}})
    assert (found.state, found.newest) == ("never", None), "the copy is another job's"


def test_a_site_by_its_own_job_alone() -> None:
    jobs = [job("s", "sites", ("m.example",))]
    found = one(SITE, jobs, {("site", "m.example"): {"s": at(2)}})
    assert (found.state, found.jobs, found.newest) == ("protected", ["s"], at(2))
    assert one(SITE, jobs, {("account", "m.example"): {"s": at(2)}}).state == "never"


def test_a_copy_as_old_as_the_promise_is_good_and_older_is_late() -> None:
    exact = {("account", "millpond"): {"n": (NOW - DAY).isoformat()}}
    late = {("account", "millpond"): {"n": (NOW - DAY - timedelta(seconds=1)).isoformat()}}
    assert one(SITE, [job("n")], exact).state == "protected"
    assert one(SITE, [job("n")], late).state == "late"


def test_a_job_by_hand_promises_nothing_so_any_copy_is_good() -> None:
    by_hand = CoveringJob(
        "n", "accounts", frozenset({"millpond"}), frozenset({"files"}), DatabaseRules(), None
    )
    assert one(SITE, [by_hand], {("account", "millpond"): {"n": at(9000)}}).state == "protected"
    assert one(SITE, [by_hand], {}).state == "never"


def test_one_job_that_keeps_its_promise_is_enough() -> None:
    jobs = [job("n"), job("weekly")]
    newest = {("account", "millpond"): {"n": at(2), "weekly": at(200)}}
    assert one(SITE, jobs, newest).state == "protected"
    assert one(SITE, jobs[::-1], newest).state == "protected"


def test_a_database_is_looked_for_in_accounts_sites_and_hosts() -> None:
    jobs = [
        job("a", contents=("databases",)),
        job("s", "sites", ("m.example",), contents=("databases",)),
        job("h", "hosts", ("reed-1",), contents=("databases",)),
    ]
    found = one(SHOP, jobs, {("host", "reed-1"): {"h": at(1)}})
    assert (found.state, found.jobs) == ("protected", ["a", "s", "h"])
    of_a_file = CoverageItem("database", "data.db", "millpond", "reed-1")
    found = one(of_a_file, jobs, {("host", "reed-1"): {"h": at(1)}})
    assert (found.state, found.jobs) == ("never", ["a"]), "a host's job dumps its servers alone"


@pytest.mark.parametrize(
    ("rules", "jobs"),
    [
        ({}, ["a", "full"]),
        ({"names": ("shop",)}, ["a", "full"]),
        ({"names": ("blog",)}, ["full"]),
        ({"without": ("sh*",)}, ["full"]),
        ({"structure_only": True}, ["full"]),
        ({"without_rows": ("*.cache",)}, ["a", "full"]),
    ],
)
def test_a_database_that_a_rule_leaves_out_is_not_covered_by_that_job(
    rules: dict[Any, Any], jobs: list[str]
) -> None:
    found = one(SHOP, [job("a", **rules), job("full")], {})
    assert found.jobs == jobs


def test_many_things_of_one_subject_are_told_apart() -> None:
    things = [
        SITE,
        CoverageItem("mail domain", "m.example", "millpond", "reed-1"),
        SHOP,
        CoverageItem("site", "f.example", "ferryline", "reed-1"),
    ]
    jobs = [job("files", contents=("files",)), job("mail", contents=("mail",))]
    found = cover(things, jobs, {("account", "millpond"): {"files": at(1)}}, NOW)
    assert [row.state for row in found] == ["protected", "never", "bare", "bare"]
    assert [row.jobs for row in found] == [["files"], ["mail"], [], []]


def test_the_grace_is_a_quarter_but_never_under_two_hours() -> None:
    hour = timedelta(hours=1)
    assert max_age_of([NOW, NOW + 8 * hour]) == 10 * hour
    assert max_age_of([NOW, NOW + 7 * hour]) == 9 * hour
    assert max_age_of([]) is None
    assert max_age_of([NOW, NOW + hour, NOW + 9 * hour, NOW + 10 * hour]) == 10 * hour
