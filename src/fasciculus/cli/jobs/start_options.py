"""The options of a job for starts, retries, limits and recipients."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

import typer

from ..moments import parse_day
from ..output import wrong

_WHEN = "Start conditions"
_FAIL = "Retries and time limits"
_TELL = "Keep and notify"
_WATCH = "Watch"

FirstDay = Annotated[
    date | None,
    typer.Option(
        parser=parse_day, metavar="DAY", help="First day with starts.", rich_help_panel=_WHEN
    ),
]
LastDay = Annotated[
    date | None,
    typer.Option(
        parser=parse_day, metavar="DAY", help="Last day with starts.", rich_help_panel=_WHEN
    ),
]
Hours = Annotated[
    str | None,
    typer.Option(
        help="Hours in which tasks may start, such as 22:00-05:00; “any” for the whole day.",
        metavar="HH:MM-HH:MM",
        rich_help_panel=_WHEN,
    ),
]
DaysOff = Annotated[
    list[str] | None,
    typer.Option(
        "--day-off",
        help="A day without runs: 2026-12-25, 12-25 for each year, 12-24..01-01; may be repeated; "
        "“none” for none.",
        metavar="DAY",
        rich_help_panel=_WHEN,
    ),
]
Spread = Annotated[
    int | None,
    typer.Option(help="Spread starts evenly over N minutes.", rich_help_panel=_WHEN),
]
Overlap = Annotated[
    Literal["skip", "wait", "cancel"] | None,
    typer.Option(
        help="If the previous run is still running: skip the start, let it wait, or cancel the "
        "previous run.",
        rich_help_panel=_WHEN,
    ),
]
Missed = Annotated[
    Literal["once", "skip"] | None,
    typer.Option(
        help="Starts missed while the service was down: catch up once, or skip.",
        rich_help_panel=_WHEN,
    ),
]
Priority = Annotated[
    Literal["high", "normal", "low"] | None,
    typer.Option(help="Priority of waiting tasks.", rich_help_panel=_WHEN),
]
Retries = Annotated[
    int | None,
    typer.Option(
        help="Retries of a task after a temporary error, in runs that the timetable started.",
        rich_help_panel=_FAIL,
    ),
]
RetryPause = Annotated[
    int | None, typer.Option(help="Minutes between retries.", rich_help_panel=_FAIL)
]
TaskMinutes = Annotated[
    int | None,
    typer.Option(help="Stop a task after N minutes; 0 for never.", rich_help_panel=_FAIL),
]
StepMinutes = Annotated[
    int | None,
    typer.Option(
        help="Stop a task if one step takes longer than N minutes; 0 for never.",
        rich_help_panel=_FAIL,
    ),
]
RunMinutes = Annotated[
    int | None,
    typer.Option(help="Stop a run after N minutes; 0 for never.", rich_help_panel=_FAIL),
]
KeepOn = Annotated[
    list[str] | None,
    typer.Option(
        help="Keep rule for one of the stores; may be repeated; “none” for none.",
        metavar="STORE=RULE",
        rich_help_panel=_TELL,
    ),
]
KeepGone = Annotated[
    str | None,
    typer.Option(
        help="Keep rule for deleted accounts; “none” for the same.",
        metavar="RULE",
        rich_help_panel=_TELL,
    ),
]
TellContacts = Annotated[
    Literal["never", "trouble", "recovery", "always"] | None,
    typer.Option(help="Notify the contact of each account.", rich_help_panel=_TELL),
]
AttachLog = Annotated[
    Literal["never", "trouble", "always"] | None,
    typer.Option(help="Attach the log to the report.", rich_help_panel=_TELL),
]
TellChannel = Annotated[
    list[str] | None,
    typer.Option(
        help="A channel that also gets reports; may be repeated; “none” for none.",
        rich_help_panel=_TELL,
    ),
]
Smaller = Annotated[
    int | None,
    typer.Option(
        "--watch-smaller",
        help="Alert if a bundle is smaller than N percent of the median; 0 for never.",
        rich_help_panel=_WATCH,
    ),
]
Larger = Annotated[
    int | None,
    typer.Option(
        "--watch-larger",
        help="Alert if a bundle is larger than N percent of the median; 0 for never.",
        rich_help_panel=_WATCH,
    ),
]
Changes = Annotated[
    int | None,
    typer.Option(
        "--watch-changes",
        help="Alert if changes exceed N percent of the median; 0 for never.",
        rich_help_panel=_WATCH,
    ),
]
#: Options whose names are not those of the fields.
OPTIONS = {
    "starting.first_day": "--first-day",
    "starting.last_day": "--last-day",
    "starting.hours": "--hours",
    "starting.days_off": "--day-off",
    "starting.spread": "--spread",
    "limits.retries": "--retries",
    "limits.pause": "--retry-pause",
    "limits.task": "--task-minutes",
    "limits.step": "--step-minutes",
    "limits.run": "--run-minutes",
    "keep_on": "--keep-on",
    "keep_gone": "--keep-gone",
    "channels": "--tell-channel",
}


def starting(
    first_day: FirstDay = None,
    last_day: LastDay = None,
    hours: Hours = None,
    day_off: DaysOff = None,
    spread: Spread = None,
    overlap: Overlap = None,
    missed: Missed = None,
    priority: Priority = None,
    retries: Retries = None,
    retry_pause: RetryPause = None,
    task_minutes: TaskMinutes = None,
    step_minutes: StepMinutes = None,
    run_minutes: RunMinutes = None,
    keep_on: KeepOn = None,
    keep_gone: KeepGone = None,
    tell_contacts: TellContacts = None,
    attach_log: AttachLog = None,
    tell_channel: TellChannel = None,
    watch_smaller: Smaller = None,
    watch_larger: Larger = None,
    watch_changes: Changes = None,
) -> None:
    """Further options of ``add`` and ``change``."""


def start_fields(o: dict[str, Any]) -> dict[str, dict[str, Any]]:
    """Return the values that the given options set, by group of fields."""
    groups = {
        "starting": {
            "first_day": o["first_day"],
            "last_day": o["last_day"],
            "hours": "" if o["hours"] == "any" else o["hours"],
            "days_off": _none(o["day_off"]),
            "spread": o["spread"],
            "overlap": o["overlap"],
            "missed": o["missed"],
            "priority": o["priority"],
        },
        "limits": {
            "retries": o["retries"],
            "pause": o["retry_pause"],
            "task": o["task_minutes"],
            "step": o["step_minutes"],
            "run": o["run_minutes"],
        },
        "watch": {
            "smaller": o["watch_smaller"],
            "larger": o["watch_larger"],
            "changes": o["watch_changes"],
        },
    }
    return {
        name: {key: value for key, value in group.items() if value is not None}
        for name, group in groups.items()
    }


def tell_fields(o: dict[str, Any]) -> dict[str, Any]:
    """Return the single fields that these options set."""
    return {
        "keep_on": _rules(o["keep_on"]),
        "keep_gone": "" if o["keep_gone"] == "none" else o["keep_gone"],
        "report_contacts": o["tell_contacts"],
        "attach_log": o["attach_log"],
        "channels": _none(o["tell_channel"]),
    }


def _none(given: list[str] | None) -> list[str] | None:
    return [] if given == ["none"] else given


def _rules(given: list[str] | None) -> dict[str, str] | None:
    if given is None or given == ["none"]:
        return None if given is None else {}
    rules = {}
    for text in given:
        store, equals, rule = text.partition("=")
        if not (store and equals and rule):
            raise wrong(f"“{text}” has no store or no rule.", "Write STORE=RULE.", "--keep-on")
        rules[store] = rule
    return rules
