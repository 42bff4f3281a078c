"""Tables on narrow terminals, and days as people write them."""

from __future__ import annotations

import io
from datetime import UTC

import pytest
import time_machine
import typer

from fasciculus.cli import output
from fasciculus.cli.moments import parse_day, parse_moment
from fasciculus.cli.terminal import SafeConsole


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("tomorrow", "2026-11-25 00:00"),
        ("in 2 hours", "2026-11-24 12:00"),
        ("in 3 days", "2026-11-27 00:00"),
        ("friday 18:00", "2026-11-27 18:00"),
        ("2026-12-24", "2026-12-24 00:00"),
        ("2026-12-24 22:00", "2026-12-24 22:00"),
        ("24 Dec", "2026-12-24 00:00"),
    ],
)
def test_moments_as_people_write_them(text: str, wanted: str) -> None:
    with time_machine.travel("2026-11-24T10:00:00+00:00", tick=False):
        found = parse_moment(text)
        assert f"{found.astimezone(UTC):%Y-%m-%d %H:%M}" == wanted
        assert parse_day(text).isoformat() == wanted[:10]


@pytest.mark.parametrize("text", ["soonish", "5", "", "never"])
def test_what_is_no_moment_is_said_with_what_is_one(text: str) -> None:
    with pytest.raises(typer.BadParameter, match="Write for example “tomorrow”"):
        parse_moment(text)


def test_a_table_that_is_too_wide_is_shown_row_by_row(monkeypatch: pytest.MonkeyPatch) -> None:
    rows = [("millpond", "all of it, every night"), ("ferryline", "")]
    columns = [("JOB", lambda row: row[0]), ("WHAT", lambda row: row[1])]
    for width, wanted in (
        (40, ["JOB        WHAT", "millpond   all of it, every night", "ferryline"]),
        (12, ["millpond", "  what  all", "        of", "        it,", "        ever"]),
    ):
        said = io.StringIO()
        monkeypatch.setattr(output, "out", SafeConsole(file=said, width=width))
        output.show_table(rows, columns, "")
        lines = [line.rstrip() for line in said.getvalue().splitlines()]
        assert lines[: len(wanted)] == wanted
        assert "ferryline" in lines
