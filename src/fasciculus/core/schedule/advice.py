"""Advice on timetables, each with a hint."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime, timedelta
from itertools import pairwise

from .timetable import Schedule

_OFTEN = timedelta(minutes=5)
#: Days that not every month has.
_SELDOM = {"29": "29th", "30": "30th", "31": "31st"}


def advice(timetable: Schedule, starts: Sequence[datetime], now: datetime) -> list[str]:
    """Return what is unwise: starts that are over, very many of them, days that months lack.

    ``starts`` are the next ones, as moments in UTC; ``now`` is the present in the job's own zone.
    """
    rows = []
    local = now.replace(tzinfo=None)
    past = [moment for moment in timetable.once if moment <= local]
    if timetable.automatic and not starts:
        rows.append("It starts nothing any more. Give it a timetable that goes on.")
    elif past:
        rows.append(f"Its start on {past[0]:%Y-%m-%d at %H:%M} is over.")
    if len(starts) > 1 and min(later - one for one, later in pairwise(starts)) < _OFTEN:
        rows.append(
            "It starts more often than every five minutes: a run that takes longer has the next "
            "skipped. Every 15 minutes is plenty, also for databases."
        )
    for expression in timetable.expressions:
        _, _, days, months, weekdays = expression.split()
        rows += [
            f"Months without a {name} are left out. “monthly last day” comes every month."
            for day, name in _SELDOM.items()
            if day in days.split(",") and months == "*" and weekdays == "*"
        ]
        if days != "*" and weekdays != "*" and "L" not in weekdays and "#" not in weekdays:
            rows.append(
                f"“{expression}” starts on the days of the month and on the days of the week: cron "
                "takes either, not only days that are both. Leave one of them “*”."
            )
    return list(dict.fromkeys(rows))
