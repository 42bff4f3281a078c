"""Commands for timetables, pauses, addresses, pins, alerts and templates."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from running import Service, folder_stores, run, set_up, small_account, until


@pytest.fixture
def cli(running: Service, tmp_path: Path) -> Callable[..., Any]:
    with running.client() as client:
        accounts = [small_account(tmp_path, name) for name in ("millpond", "ferryline")]
        set_up(client, accounts, folder_stores(tmp_path, "attic", "cellar"))

    def say(*words: Any, typed: str = "", code: int = 0) -> str:
        said = running.cli(*words, typed=typed)
        assert said.returncode == code, (words, said)
        return said.stdout + said.stderr

    return say


def test_everything_about_when_and_how_many_can_be_said(cli: Callable[..., Any]) -> None:
    said = cli(
        *("jobs", "change", "nightly", "--when", "daily 02:15; monthly last sun 12:00"),
        *("--zone", "Europe/London", "--hours", "00:00-13:00", "--first-day", "2026-12-01"),
        *("--last-day", "2099-12-31", "--day-off", "12-25", "--day-off", "2027-01-01"),
        *("--spread", "30", "--overlap", "wait", "--missed", "skip", "--priority", "high"),
        *("--retries", "3", "--retry-pause", "5", "--task-minutes", "60", "--step-minutes", "20"),
        *("--run-minutes", "90", "--keep", "14 daily, 8 weekly, at least 3"),
        *("--keep-on", "cellar=2 newest", "--keep-gone", "1", "--tell", "a@sedge.example"),
        *("--tell-when", "recovery", "--tell-contacts", "trouble", "--attach-log", "never"),
        *("--watch-smaller", "30", "--watch-larger", "500", "--watch-changes", "0"),
    )
    for words in (
        "Every day at 02:15, and on the last Sunday of every month at 12:00",
        "within 00:00-13:00 only, from 2026-12-01 on, until 2099-12-31, not on 2 stated days, "
        "spread over 30 minutes",
        "keeps of each 14 daily and 8 weekly copies, never fewer than 3 on attic and the newest "
        "2 copies on cellar",
        "when something is wrong and when it is well again",
    ):
        assert words in said
    job = json.loads(cli("jobs", "show", "nightly", "--json"))
    assert job["starting"]["days_off"] == ["12-25", "2027-01-01"]
    assert job["limits"] == {"retries": 3, "pause": 5, "task": 60, "step": 20, "run": 90}
    assert (job["keep_gone"], job["watch"]["changes"]) == ("1 newest", 0)
    cli("stores", "change", "attic", "--max-concurrent", "2")
    assert json.loads(cli("stores", "show", "attic", "--json"))["max_concurrent"] == 2
    # What is not named stays; a word takes things away.
    cli("jobs", "change", "nightly", "--hours", "any", "--day-off", "none", "--keep-on", "none")
    job = json.loads(cli("jobs", "show", "nightly", "--json"))
    assert (job["starting"]["hours"], job["starting"]["days_off"]) == ("", [])
    assert job["keep_on"] == {} and job["starting"]["spread"] == 30


@pytest.mark.parametrize(
    ("options", "words"),
    [
        (("--when", "daily 25:00"), "--when"),
        (("--hours", "late"), "--hours"),
        (("--day-off", "Christmas"), "--day-off"),
        (("--keep", "some"), "--keep"),
        (("--keep-on", "cellar"), "STORE=RULE"),
        (("--keep-gone", "0"), "--keep-gone"),
        (("--tell-channel", "bell"), "--tell-channel"),
        (("--first-day", "2026-12-02", "--last-day", "2026-12-01"), "--last-day"),
    ],
)
def test_what_is_wrong_is_said_by_the_option(
    cli: Callable[..., Any], running: Service, options: tuple[Any, ...], words: str
) -> None:
    said = running.cli("jobs", "change", "nightly", *options)
    assert said.returncode in (2, 6) and words in said.stderr, said


def test_pauses_addresses_and_copies(cli: Callable[..., Any], running: Service) -> None:
    assert "Paused nightly until 2099-01-01" in cli(
        "jobs", "pause", "nightly", "--until", "2099-01-01", "--reason", "audit"
    )
    assert "audit" in cli("jobs", "paused") and "paused" in cli("jobs", "list")
    assert "resume nightly" in cli("start", "nightly", code=6)
    cli("jobs", "resume", "nightly")
    cli("jobs", "pause", "--all")
    assert "Everything is paused" in cli("status", code=0)
    cli("jobs", "resume", "--all")
    assert "Name a job" in cli("jobs", "pause", code=2)
    made = cli("jobs", "address", "nightly", "--make", "--network", "127.0.0.0/8")
    assert "curl --fail" in made and "15 2 * * * curl" in made and "shown only once" in made
    assert "127.0.0.0/8" in cli("jobs", "address", "nightly", "--per-hour", "3")
    assert "any" in cli("jobs", "address", "nightly", "--network", "any", "--off")
    cli("jobs", "address", "nightly", "--remove")
    assert "--make" in cli("jobs", "address", "nightly", code=5)
    said = cli(
        "jobs", "copy", "nightly", "weekly", "--store", "cellar", "--when", "weekly sun 03:00"
    )
    assert "Made job weekly. Switched off." in said
    cli("jobs", "change", "weekly", "--keep", "2 weekly")
    assert "keep: 7 newest → 2 weekly" in cli("jobs", "changes", "weekly")
    number = json.loads(cli("jobs", "changes", "weekly", "--json"))[0]["id"]
    assert "keeps the newest 7 copies" in cli("jobs", "revert", "weekly", str(number), "--yes")


def test_one_run_of_its_own_name_and_pins(cli: Callable[..., Any], running: Service) -> None:
    cli(*("start", "nightly", "--wait", "--quiet", "--name", "Before", "--only", "millpond"))
    (bundle,) = json.loads(cli("bundles", "list", "--json"))
    assert bundle["subject"] == "millpond" and bundle["pin"]["reason"] == "Before"
    assert "may retire again" in cli("bundles", "unpin", str(bundle["id"]))
    said = cli("bundles", "pin", str(bundle["id"]), "--reason", "x", "--until", "2099-12-31")
    assert "until 2100-01-01 00:00 UTC" in said
    assert "--only" in cli("start", "nightly", "--only", "reed", code=2)


def test_alerts_words_and_the_feed(
    cli: Callable[..., Any], running: Service, tmp_path: Path
) -> None:
    (tmp_path / "millpond").rename(tmp_path / "away")
    with running.client() as client:
        run(client, "nightly")
    running.parts.watch.look(datetime.now(UTC))
    (alert,) = json.loads(cli("alerts", "list", "--json"))
    assert "acknowledged" in cli("alerts", "acknowledge", str(alert["id"]), "--note", "on my way")
    assert "(acknowledged by administrator)" in cli("status", code=1)
    assert "on my way" in cli("alerts", "list", "--all")
    assert "night@sedge.example" in cli(
        *("alerts", "watch", "--tell", "night@sedge.example", "--quiet-hours", "22:00-06:00"),
        *("--remind-hours", "4"),
    )
    assert "--quiet-hours" in cli("alerts", "watch", "--quiet-hours", "late", code=2)
    own = tmp_path / "own.txt"
    own.write_text("Good morning: {{ report.job }}\n")
    assert "was replaced" in cli("templates", "change", "report.txt", "--file", str(own))
    assert cli("templates", "show", "report.txt", "--preview") == "Good morning: nightly"
    assert "is the default again" in cli("templates", "change", "report.txt", "--reset")
    own.write_text("{{ report.nothing }}")
    assert "--file" in cli("templates", "change", "report.txt", "--file", str(own), code=2)
    url = tmp_path / "url"
    url.write_text("http://127.0.0.1:1/nobody")
    cli("channels", "save", "bell", "--kind", "chat", "--url-file", str(url), "--field", "text")
    assert "--field" in cli("channels", "save", "bell", "--field", "x", code=2)
    assert "did not answer" in cli("channels", "try", "bell", code=1)
    cli("mail", "set", "--fallback-channel", "bell", "--days", "3")
    assert "fallback channel" in cli("channels", "remove", "bell", "--yes", code=2)
    cli("mail", "set", "--fallback-channel", "none")
    cli("channels", "remove", "bell", "--yes")
    assert "/calendar/" in cli("calendar", "feed", "--make")
    assert "Feed created" in cli("calendar", "feed")
    cli("calendar", "feed", "--remove")
    cli("jobs", "change", "nightly", "--when", "hourly at :20")
    assert until(lambda: "nightly" in cli("calendar", "show", "--days", "1"))
