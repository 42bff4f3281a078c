"""Dates and times as people write them: “tomorrow”, “friday 18:00”, “in 3 days”, 2026-12-24."""

from __future__ import annotations

from datetime import date, datetime, time

import typer

_EXAMPLES = "Write for example “tomorrow”, “friday 18:00”, “in 3 days” or “2026-12-24 22:00”."


def parse_moment(text: str) -> datetime:
    """Return the time that a text names, in this terminal's zone; a date means its first hour.

    Raises ``typer.BadParameter`` for other texts.
    """
    found, has_time = _read(text)
    return found if has_time else datetime.combine(found.date(), time()).astimezone()


def parse_past(text: str) -> datetime:
    """Return a time that has been; a date means its last moment, so that “yesterday” includes all
    of yesterday. Raises ``typer.BadParameter`` for other texts.
    """
    found, has_time = _read(text, "past")
    return found if has_time else datetime.combine(found.date(), time.max).astimezone()


def parse_day(text: str) -> date:
    """Return the day that a text names. Raises ``typer.BadParameter`` for other texts."""
    return _read(text)[0].date()


def _read(text: str, prefer: str = "future") -> tuple[datetime, bool]:
    """Return the time, and whether the text names a time of day."""
    # Imported late: it takes half a second, and few commands have such an option.
    from dateparser.date import DateDataParser

    parser = DateDataParser(
        languages=["en"],
        settings={
            "PREFER_DATES_FROM": prefer,
            "DATE_ORDER": "DMY",
            "RETURN_TIME_AS_PERIOD": True,
        },
    )
    found = None if text.strip().isdigit() else parser.get_date_data(text)
    if found is None or found.date_obj is None:
        raise typer.BadParameter(f"“{text}” is not a date or time. {_EXAMPLES}")
    return found.date_obj.astimezone(), found.period == "time" or " hour" in text or " min" in text
