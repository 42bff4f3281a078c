"""``fasciculus jobs``"""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal

import typer

from ..models import Job
from . import output
from .output import moment, service, wrong

app = typer.Typer(help="Standing instructions: what, where, when, keep, tell.", no_args_is_help=True)

Name = Annotated[str, typer.Argument(help="The job's name.", show_default=False)]
AsJson = Annotated[bool, typer.Option("--json", help="JSON, for programs.")]
Accounts = Annotated[str | None, typer.Option(
    help="What: “all”, or names with commas between them.", metavar="all|NAME,NAME")]
Sites = Annotated[str | None, typer.Option(
    help="What: “all”, or domains with commas, instead of accounts.", metavar="all|DOMAIN,DOMAIN")]
But = Annotated[str | None, typer.Option(help="All but these.", metavar="NAME,NAME")]
Contents = Annotated[str | None, typer.Option(
    help="files, databases, mail, with commas between them.", metavar="KIND,KIND")]
Messages = Annotated[bool | None, typer.Option(
    "--messages/--no-messages", help="With mail: the messages too.")]
Stores = Annotated[list[str] | None, typer.Option("--store", help="Where: a store; may be repeated.")]
When = Annotated[str | None, typer.Option(
    help="When: “daily 02:15”, “hourly :15”, “weekly sun 03:00”, “monthly 1 04:00”, "
         "“by hand”, or a cron expression.")]
Zone = Annotated[str | None, typer.Option(help="Time zone of the timetable, as in Europe/London.")]
Keep = Annotated[int | None, typer.Option(help="Keep: the newest copies that stay.")]
Tell = Annotated[list[str] | None, typer.Option(help="Tell: a report address; may be repeated.")]
TellWhen = Annotated[Literal["always", "trouble"] | None, typer.Option(help="When to tell.")]
Compression = Annotated[Literal["zstd", "gzip", "none"] | None, typer.Option(help="How pieces are packed.")]
Level = Annotated[int | None, typer.Option(help="How hard to pack: zstd 1 to 19, gzip 1 to 9.")]
PieceSize = Annotated[str | None, typer.Option(help="Split pieces at this size, as in 256MiB.")]
On = Annotated[bool | None, typer.Option("--on/--off", help="Whether the timetable counts.")]

_SIZE = re.compile(r"(\d+(?:\.\d+)?)\s*(B|KiB|MiB|GiB|TiB)?", re.IGNORECASE)
_UNITS = {"b": 1, "kib": 1024, "mib": 1024**2, "gib": 1024**3, "tib": 1024**4}


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the jobs."""
    with service() as client:
        rows = list(client.every(client.jobs_list))
    if as_json:
        return output.show_json(rows)
    output.show_table(rows, [
        ("JOB", lambda j: j.name), ("COVERS", lambda j: f"{j.covers} {j.subjects}"),
        ("CONTENTS", lambda j: ", ".join(j.contents)), ("TO", lambda j: ", ".join(j.stores)),
        ("WHEN", lambda j: j.timetable if j.enabled else f"off ({j.timetable})"),
        ("NEXT START", lambda j: moment(j.next_start) if j.next_start else "–"),
        ("KEEP", lambda j: j.keep),
        ("LAST RUN", lambda j: output.outcome(j.last_outcome) if j.last_run else "never"),
    ], "No job yet. Add one: fasciculus jobs add NAME --accounts all --store STORE", right=["KEEP"])
    return None


@app.command()
def show(name: Name, as_json: AsJson = False) -> None:
    """Show one job, with what it will do in one sentence."""
    with service() as client:
        job = client.jobs_show(name)
    if as_json:
        return output.show_json(job)
    output.out.print(job.readback, soft_wrap=True, highlight=False)
    output.show_fields([
        ("covers", f"{job.covers} {job.subjects}"), ("next start", moment(job.next_start)),
        ("last run", f"{job.last_run}: {job.last_outcome}" if job.last_run else "never"),
        ("packed with", f"{job.compression}, level {job.level or 'default'}, pieces of at most "
         f"{output.size(job.piece_size)}"),
    ])
    return None


def _listed(text: str) -> list[str]:
    return [part.strip() for part in text.split(",") if part.strip()]


def _bytes(text: str) -> int:
    match = _SIZE.fullmatch(text.strip())
    if not match:
        raise wrong(f"--piece-size {text}: that is not a size.", "Write for example 256MiB.")
    return int(float(match[1]) * _UNITS[(match[2] or "B").lower()])


def _options(accounts: str | None, sites: str | None, but: str | None, contents: str | None,
             messages: bool | None, store: list[str] | None, when: str | None, zone: str | None,
             keep: int | None, tell: list[str] | None, tell_when: str | None,
             compression: str | None, level: int | None, piece_size: str | None,
             on: bool | None) -> dict[str, Any]:
    """The fields that the given options set."""
    if accounts and sites:
        raise wrong("--accounts and --sites exclude each other.", "Make two jobs.")
    fields: dict[str, Any] = {
        "messages": messages, "stores": store, "timetable": when, "zone": zone, "keep": keep,
        "report_to": tell, "report_when": tell_when, "compression": compression, "level": level,
        "enabled": on,
    }
    if accounts or sites:
        chosen = accounts or sites or ""
        fields["subjects"] = "accounts" if accounts else "sites"
        fields["choice"] = "all" if chosen == "all" else "listed"
        fields["names"] = [] if chosen == "all" else _listed(chosen)
    if but:
        fields["choice"], fields["names"] = "all_but", _listed(but)
    if contents:
        fields["contents"] = _listed(contents)
    if piece_size:
        fields["piece_size"] = _bytes(piece_size)
    return {name: value for name, value in fields.items() if value is not None}


@app.command()
def add(name: Name, accounts: Accounts = None, sites: Sites = None, but: But = None,
        contents: Contents = None, messages: Messages = None, store: Stores = None,
        when: When = None, zone: Zone = None, keep: Keep = None, tell: Tell = None,
        tell_when: TellWhen = None, compression: Compression = None, level: Level = None,
        piece_size: PieceSize = None, on: On = None) -> None:
    """Add a job, and say what it will do."""
    with service() as client:
        fields = _options(accounts, sites, but, contents, messages, store, when, zone, keep, tell,
                          tell_when, compression, level, piece_size, on)
        if not fields.get("stores"):
            known = ", ".join(s.name for s in client.every(client.stores_list))
            raise wrong("A job needs at least one --store.", f"Stores: {known or 'none yet'}.")
        job = Job(name=name, **fields)
        advice = client.jobs_readback(job).advice
        made = client.jobs_add(job)
        output.out.print(f"Added job {name}. {made.readback}", soft_wrap=True, highlight=False)
        for line in advice:
            output.out.print(f"▲ {line}", soft_wrap=True, highlight=False, style="yellow")
        output.out.print(f"Start it once and watch: fasciculus start {name} --wait", highlight=False)


@app.command()
def change(name: Name, accounts: Accounts = None, sites: Sites = None, but: But = None,
           contents: Contents = None, messages: Messages = None, store: Stores = None,
           when: When = None, zone: Zone = None, keep: Keep = None, tell: Tell = None,
           tell_when: TellWhen = None, compression: Compression = None, level: Level = None,
           piece_size: PieceSize = None, on: On = None) -> None:
    """Change a job; what is not named stays."""
    with service() as client:
        fields = _options(accounts, sites, but, contents, messages, store, when, zone, keep, tell,
                          tell_when, compression, level, piece_size, on)
        old = client.jobs_show(name).model_dump(include=set(Job.model_fields))
        made = client.jobs_change(name, Job(**{**old, **fields}))
        output.out.print(f"Changed job {name}. {made.readback}", soft_wrap=True, highlight=False)


@app.command()
def readback(name: Name, as_json: AsJson = False) -> None:
    """Say what a job will do: its sentence, next starts, size, advice."""
    with service() as client:
        job = client.jobs_show(name)
        found = client.jobs_readback(Job(**job.model_dump(include=set(Job.model_fields))))
    if as_json:
        return output.show_json(found)
    output.out.print(found.sentence, soft_wrap=True, highlight=False)
    for start in found.starts:
        output.out.print(f"  {moment(start)}", highlight=False)
    if found.packed:
        output.out.print(f"Size last seen: {output.size(found.bytes)}, {output.size(found.packed)} packed.",
                         highlight=False)
    for line in found.advice:
        output.out.print(f"▲ {line}", soft_wrap=True, highlight=False, style="yellow")
    return None


@app.command()
def remove(name: Name, yes: Annotated[bool, typer.Option("--yes", help="Do not ask.")] = False) -> None:
    """Remove a job; the bundles it made stay."""
    output.sure(f"Remove job {name}? The bundles it made stay.", yes)
    with service() as client:
        client.jobs_remove(name)
        output.out.print(f"Removed job {name}. The bundles it made stay.")
