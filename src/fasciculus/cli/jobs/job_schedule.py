"""Commands of ``fasciculus jobs`` on pauses, addresses, copies, changes and the year to come."""

from __future__ import annotations

from datetime import date, datetime
from itertools import islice
from typing import Annotated, Any

import typer

from ... import models
from .. import output
from ..moments import parse_day, parse_moment
from ..output import count, moment, size, wrong
from ..parameters import AsJson, JobName, NewJobName, Yes
from ..session import service

_STEP = 30

MaybeJob = Annotated[str, typer.Argument(help="The job's name.", metavar="[NAME]")]
Everything = Annotated[bool, typer.Option("--all", help="Everything, instead of one job.")]


def add_commands(app: typer.Typer) -> None:
    """Give the commands to the app of jobs."""
    for command in (copy, pause, resume, paused, address, changes, simulate):
        app.command()(command)
    app.command("revert")(revert)


def _one_or_all(name: str, everything: bool) -> None:
    if bool(name) == everything:
        raise wrong("Name a job, or give --all.", "For example: fasciculus jobs pause --all")


def pause(
    name: MaybeJob = "",
    everything: Everything = False,
    until: Annotated[
        datetime | None,
        typer.Option(
            parser=parse_moment,
            metavar="WHEN",
            help="End of the pause, such as “tomorrow”, “monday 06:00” or 2026-12-24; by default, "
            "when you resume it.",
        ),
    ] = None,
    reason: Annotated[str, typer.Option(help="Reason, for others.")] = "",
    as_json: AsJson = False,
) -> None:
    """Pause a job, or all jobs; restores are still possible."""
    _one_or_all(name, everything)
    order = models.PauseInput(until=until, reason=reason)
    with service() as client:
        rows = client.pauses_set(order) if everything else client.jobs_pause(name, order)
    how = f"until {moment(until)}" if until else "until resumed"
    output.done(rows, f"Paused {name or 'everything'} {how}. Running tasks continue.", as_json)


def resume(name: MaybeJob = "", everything: Everything = False, as_json: AsJson = False) -> None:
    """Resume a job, or all jobs."""
    _one_or_all(name, everything)
    with service() as client:
        if everything:
            client.pauses_lift()
        else:
            client.jobs_resume(name)
    output.done({"resumed": name or "everything"}, f"Resumed {name or 'everything'}.", as_json)


def paused(as_json: AsJson = False) -> None:
    """List pauses."""
    with service() as client:
        rows = client.pauses_list().items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("PAUSED", lambda p: p.job or "everything"),
            ("UNTIL", lambda p: moment(p.until) if p.until else "it is lifted"),
            ("WHY", lambda p: p.reason),
            ("BY", lambda p: p.who),
            ("SINCE", lambda p: moment(p.since)),
        ],
        "Nothing is paused.",
    )
    return None


def address(
    name: JobName,
    make: Annotated[
        bool,
        typer.Option(
            "--make", help="Create an address, replacing any other; it is shown only once."
        ),
    ] = False,
    network: Annotated[
        list[str] | None,
        typer.Option(
            help="Only callers from this network, such as 192.0.2.0/24; may be repeated; “any” "
            "for all.",
        ),
    ] = None,
    per_hour: Annotated[int | None, typer.Option(help="Maximum number of starts per hour.")] = None,
    on: Annotated[
        bool | None, typer.Option("--on/--off", help="Whether the address works.")
    ] = None,
    remove: Annotated[bool, typer.Option("--remove", help="Remove it.")] = False,
    as_json: AsJson = False,
) -> None:
    """Show, create or change the secret address that starts a job from outside."""
    given: dict[str, Any] = {
        "networks": [] if network == ["any"] else network,
        "per_hour": per_hour,
        "enabled": on,
    }
    given = {key: value for key, value in given.items() if value is not None}
    with service({"networks": "--network"}) as client:
        if remove:
            client.jobs_address_remove(name)
            return output.done({"removed": name}, f"Job {name} has no address now.", as_json)
        if make:
            made = client.jobs_address_make(name, models.StartAddressInput(**given))
            if as_json:
                return output.show_json(made)
            output.show_fields(
                [("address", made.url), ("curl", made.curl), ("crontab", made.crontab)]
            )
            return output.out.print(
                "It is shown only once. Anyone with this address can start the job.",
                highlight=False,
            )
        found = client.jobs_address(name)
        if given:
            known = found.model_dump(include=set(models.StartAddressInput.model_fields))
            found = client.jobs_address_change(name, models.StartAddressInput(**{**known, **given}))
    if as_json:
        return output.show_json(found)
    output.show_fields(
        [
            ("made", moment(found.made)),
            ("last used", moment(found.used) if found.used else "never"),
            ("networks", ", ".join(found.networks) or "any"),
            ("per hour", str(found.per_hour)),
            ("switched", "on" if found.enabled else "off"),
        ]
    )
    return None


def copy(
    name: JobName,
    new_name: NewJobName,
    store: Annotated[
        list[str] | None, typer.Option(help="Store instead of the original ones; may be repeated.")
    ] = None,
    when: Annotated[str | None, typer.Option(help="Timetable instead of the original one.")] = None,
    keep: Annotated[str | None, typer.Option(help="Keep rule instead of the original one.")] = None,
    on: Annotated[
        bool, typer.Option("--on", help="Enable the new job; otherwise it is disabled.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Create a job from the settings of another."""
    order = models.JobCopy(name=new_name, stores=store, timetable=when, keep=keep, enabled=on)
    with service({"stores": "--store", "timetable": "--when"}) as client:
        made = client.jobs_copy(name, order)
    output.done(made, f"Made job {new_name}. {made.summary}", as_json)


def changes(
    name: JobName,
    most: Annotated[int, typer.Option("--count", help="Maximum number of rows.", min=1)] = 20,
    as_json: AsJson = False,
) -> None:
    """List the changes of a job, with user and time."""
    with service() as client:
        rows = list(islice(client.every(client.changes_list, kind="job", name=name), most))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("CHANGE", lambda c: c.id),
            ("WHEN", lambda c: moment(c.at)),
            ("WHO", lambda c: c.who),
            ("WHAT", _change_words),
        ],
        "No changes recorded.",
        right=["CHANGE"],
    )
    if rows:
        output.out.print(f"Revert one: fasciculus jobs revert {name} NUMBER", highlight=False)
    return None


def _change_words(change: models.SettingChange) -> str:
    if change.before is None:
        return "added"
    if change.after is None:
        return "removed"
    return "; ".join(
        f"{key}: {_shown(change.before.get(key))} → {_shown(change.after.get(key))}"
        for key in change.after
    )


def _shown(value: Any) -> str:
    if isinstance(value, list):
        return ", ".join(map(str, value)) or "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    return str(value) if value not in ("", None) else "none"


def revert(
    name: JobName,
    number: Annotated[int, typer.Argument(help="The change's number.", show_default=False)],
    yes: Yes = False,
    as_json: AsJson = False,
) -> None:
    """Revert a job to its state before a change, undoing later changes too."""
    output.sure(f"Make job {name} again what it was before change {number}?", yes)
    with service() as client:
        made = client.jobs_revert(name, number)
    output.done(made, f"Reverted change {number}. {made.summary}", as_json)


def simulate(
    name: JobName,
    store: Annotated[str, typer.Option(help="Store; default: the job's first one.")] = "",
    subject: Annotated[str, typer.Option(help="Subject; default: the job's first one.")] = "",
    day: Annotated[
        date | None,
        typer.Option(parser=parse_day, metavar="DAY", help="List the copies on this day."),
    ] = None,
    keep: Annotated[str, typer.Option(help="Keep rule to try.")] = "",
    as_json: AsJson = False,
) -> None:
    """Simulate the copies of the coming year and the space they need."""
    with service({"keep": "--keep"}) as client:
        job = client.jobs_show(name)
        fields = job.model_dump(include=set(models.JobInput.model_fields))
        if keep:
            fields |= {"keep": keep, "keep_on": {}}
        found = client.jobs_simulate(models.JobInput(**fields), store, subject, day)
    if as_json:
        return output.show_json(found)
    shown = [row for row in found.days if row.day == day] if day else found.days[::_STEP]
    output.show_table(
        shown,
        [
            ("DAY", lambda d: d.day.isoformat()),
            ("COPIES", lambda d: d.copies),
            ("TAKE", lambda d: size(d.bytes)),
            ("OF ALL SUBJECTS", lambda d: size(d.bytes_of_all)),
        ],
        "That day is not in the coming year.",
        right=["COPIES", "TAKE", "OF ALL SUBJECTS"],
    )
    for row in shown:
        for made in row.moments or []:
            output.out.print(f"  {moment(made)}", highlight=False)
    output.out.print(
        f"{found.subject} on {found.store}, keeping {found.rule}, if every run succeeds; "
        f"{count(found.subjects, 'subject')} in all.",
        highlight=False,
        soft_wrap=True,
    )
    return None
