"""``fasciculus jobs``"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Annotated, Any, Literal

import typer

from .. import models
from . import output
from .job_preview import preview
from .options import options_of
from .output import moment, wrong
from .parameters import AsJson, JobName, NewJobName, Yes
from .session import service

if TYPE_CHECKING:
    from pydantic import BaseModel

app = typer.Typer(
    help="Standing instructions: what, where, when, keep, tell.", no_args_is_help=True
)

Accounts = Annotated[
    str | None,
    typer.Option(help="What: “all”, or names with commas between them.", metavar="all|NAME,NAME"),
]
Sites = Annotated[
    str | None,
    typer.Option(
        help="What: “all”, or domains with commas, instead of accounts.",
        metavar="all|DOMAIN,DOMAIN",
    ),
]
Hosts = Annotated[
    str | None,
    typer.Option(
        help="What: “all”, or hosts with commas, for their own settings.", metavar="all|HOST,HOST"
    ),
]
Include = Annotated[
    list[str] | None,
    typer.Option(help="Only what matches, as in .gitignore; may be repeated.", metavar="PATTERN"),
]
Exclude = Annotated[
    list[str] | None,
    typer.Option(
        help="Leave out what matches, as in .gitignore; may be repeated.", metavar="PATTERN"
    ),
]
ExcludeSets = Annotated[
    list[str] | None,
    typer.Option(
        help="A ready set: caches, logs, thumbnails, dependencies; may be repeated.", metavar="SET"
    ),
]
LargerThan = Annotated[
    str | None, typer.Option(help="Leave out larger files, as in 500MiB.", metavar="SIZE")
]
OlderThan = Annotated[
    int | None, typer.Option(help="Leave out files not changed for so many days.")
]
OneFileSystem = Annotated[
    bool | None,
    typer.Option(
        "--one-file-system/--all-file-systems", help="Stay on the file system of the home."
    ),
]
SkipTagged = Annotated[
    bool | None,
    typer.Option(
        "--skip-tagged-caches/--keep-tagged-caches",
        help="Exclude folders with a CACHEDIR.TAG.",
    ),
]
IgnoreFile = Annotated[
    str | None, typer.Option(help="Name of a file of further excludes in a folder.")
]
DatabaseNames = Annotated[
    list[str] | None,
    typer.Option(help="Only databases of this pattern; may be repeated.", metavar="PATTERN"),
]
WithoutDatabase = Annotated[
    list[str] | None,
    typer.Option(help="No database of this pattern; may be repeated.", metavar="PATTERN"),
]
Table = Annotated[
    list[str] | None,
    typer.Option(help="Only these tables, as database.table; may be repeated.", metavar="PATTERN"),
]
WithoutTable = Annotated[
    list[str] | None, typer.Option(help="Without these tables; may be repeated.", metavar="PATTERN")
]
WithoutRows = Annotated[
    list[str] | None,
    typer.Option(help="Of these tables the structure alone; may be repeated.", metavar="PATTERN"),
]
StructureOnly = Annotated[
    bool | None,
    typer.Option("--structure-only/--with-rows", help="Of all tables the structure alone."),
]
CheckTables = Annotated[
    bool | None,
    typer.Option("--check-tables/--no-check-tables", help="CHECK TABLE before reading."),
]
Notes = Annotated[
    list[str] | None,
    typer.Option(
        help="Keep the output of a command; {account} and {home} stand for the subject's. May be "
        "repeated.",
        metavar="NAME=COMMAND",
    ),
]
Before = Annotated[
    list[str] | None,
    typer.Option(
        help="Command on the host before the task; when it fails, the task stops.",
        metavar="COMMAND",
    ),
]
AfterSuccess = Annotated[
    list[str] | None, typer.Option(help="Command after success.", metavar="COMMAND")
]
AfterFailure = Annotated[
    list[str] | None, typer.Option(help="Command after failure.", metavar="COMMAND")
]
Always = Annotated[
    list[str] | None, typer.Option(help="Command after the task, always.", metavar="COMMAND")
]
Mode = Annotated[
    Literal["full", "incremental"] | None,
    typer.Option(help="Whether each bundle brings all its bytes, or only those that changed."),
]
FullEvery = Annotated[
    int | None, typer.Option(help="Incremental: a new full bundle after so many days.")
]
DeadShare = Annotated[
    int | None,
    typer.Option(
        help="Incremental: a new full bundle when more than so many percent of what is stored is "
        "no "
        "longer needed."
    ),
]
CompareEvery = Annotated[
    int | None, typer.Option(help="Incremental: every so many bundles compare contents; 0 never.")
]
HoldPage = Annotated[
    bool | None,
    typer.Option(
        "--hold-page/--no-hold-page", help="Sites answer 503 while their bundle is taken."
    ),
]
AllExcept = Annotated[str | None, typer.Option(help="All except these.", metavar="NAME,NAME")]
Contents = Annotated[
    str | None,
    typer.Option(
        help="files, databases, mail, system, notes, with commas between them.", metavar="KIND,KIND"
    ),
]
Messages = Annotated[
    bool | None, typer.Option("--messages/--no-messages", help="With mail: the messages too.")
]
Stores = Annotated[
    list[str] | None, typer.Option("--store", help="Where: a store; may be repeated.")
]
When = Annotated[
    str | None,
    typer.Option(
        help="When: “daily 02:15”, “hourly :15”, “weekly sun 03:00”, “monthly 1 04:00”, "
        "“by hand”, or a cron expression."
    ),
]
Zone = Annotated[str | None, typer.Option(help="Time zone of the timetable, as in Europe/London.")]
Keep = Annotated[int | None, typer.Option(help="Keep: the newest copies that stay.")]
Tell = Annotated[list[str] | None, typer.Option(help="Tell: a report address; may be repeated.")]
TellWhen = Annotated[Literal["always", "trouble"] | None, typer.Option(help="When to tell.")]
Compression = Annotated[
    Literal["zstd", "gzip", "none"] | None, typer.Option(help="How pieces are packed.")
]
Level = Annotated[int | None, typer.Option(help="How hard to pack: zstd 1 to 19, gzip 1 to 9.")]
PieceSize = Annotated[str | None, typer.Option(help="Split pieces at this size, as in 256MiB.")]
On = Annotated[
    bool | None, typer.Option("--on/--off", help="Whether the timetable starts the job.")
]

#: Options whose names are not those of the fields.
_OPTIONS = {
    "names": "--accounts, --sites or --hosts",
    "subjects": "--accounts, --sites or --hosts",
    "stores": "--store",
    "timetable": "--when",
    "report_to": "--tell",
    "report_when": "--tell-when",
    "enabled": "--on",
    "rules.includes": "--include",
    "rules.excludes": "--exclude",
    "rules.sets": "--exclude-set",
    "databases.names": "--database",
    "databases.without": "--without-database",
    "databases.tables": "--table",
    "databases.without_tables": "--without-table",
    "databases.without_rows": "--without-rows",
    "notes": "--note",
    "commands": "--before, --after-success, --after-failure or --always",
}
_WHEN = ("before", "after_success", "after_failure", "always")
app.command()(preview)
_SIZE = re.compile(r"(\d+(?:\.\d+)?)\s*(B|KiB|MiB|GiB|TiB)?", re.IGNORECASE)
_UNITS = {"b": 1, "kib": 1024, "mib": 1024**2, "gib": 1024**3, "tib": 1024**4}


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List the jobs."""
    with service() as client:
        rows = list(client.every(client.jobs_list))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("JOB", lambda j: j.name),
            ("COVERS", lambda j: f"{j.covers} {j.subjects}"),
            ("CONTENTS", lambda j: ", ".join(j.contents)),
            ("TO", lambda j: ", ".join(j.stores)),
            ("WHEN", lambda j: j.timetable if j.enabled else f"off ({j.timetable})"),
            ("NEXT START", lambda j: moment(j.next_start) if j.next_start else "–"),
            ("KEEP", lambda j: j.keep),
            ("LAST RUN", lambda j: output.outcome(j.last_outcome) if j.last_run else "never"),
        ],
        "No job yet. Add one: fasciculus jobs add NAME --accounts all --store STORE",
        right=["KEEP"],
    )
    return None


@app.command()
def show(name: JobName, as_json: AsJson = False) -> None:
    """Show one job, with what it will do in one sentence."""
    with service() as client:
        job = client.jobs_show(name)
    if as_json:
        return output.show_json(job)
    output.out.print(job.summary, soft_wrap=True, highlight=False)
    output.show_fields(
        [
            ("covers", f"{job.covers} {job.subjects}"),
            ("next start", moment(job.next_start)),
            ("last run", f"{job.last_run}: {job.last_outcome}" if job.last_run else "never"),
            (
                "packed with",
                f"{job.compression}, level {job.level or 'default'}, pieces of at most "
                f"{output.size(job.piece_size)}",
            ),
        ]
    )
    return None


def _listed(text: str) -> list[str]:
    return [part.strip() for part in text.split(",") if part.strip()]


def _bytes(option: str, text: str) -> int:
    match = _SIZE.fullmatch(text.strip())
    if not match:
        raise wrong(f"“{text}” is not a size.", "Write for example 256MiB.", f"--{option}")
    return int(float(match[1]) * _UNITS[(match[2] or "B").lower()])


def _shared(
    accounts: Accounts = None,
    sites: Sites = None,
    hosts: Hosts = None,
    all_except: AllExcept = None,
    contents: Contents = None,
    messages: Messages = None,
    include: Include = None,
    exclude: Exclude = None,
    exclude_set: ExcludeSets = None,
    larger_than: LargerThan = None,
    older_than: OlderThan = None,
    one_file_system: OneFileSystem = None,
    skip_tagged_caches: SkipTagged = None,
    ignore_file: IgnoreFile = None,
    database: DatabaseNames = None,
    without_database: WithoutDatabase = None,
    table: Table = None,
    without_table: WithoutTable = None,
    without_rows: WithoutRows = None,
    structure_only: StructureOnly = None,
    check_tables: CheckTables = None,
    note: Notes = None,
    before: Before = None,
    after_success: AfterSuccess = None,
    after_failure: AfterFailure = None,
    always: Always = None,
    hold_page: HoldPage = None,
    mode: Mode = None,
    full_every: FullEvery = None,
    dead_share: DeadShare = None,
    compare_every: CompareEvery = None,
    store: Stores = None,
    when: When = None,
    zone: Zone = None,
    keep: Keep = None,
    tell: Tell = None,
    tell_when: TellWhen = None,
    compression: Compression = None,
    level: Level = None,
    piece_size: PieceSize = None,
    on: On = None,
) -> None:
    """The options of ``add`` and ``change``."""


def _fields(old: models.JobInput | None, o: dict[str, Any]) -> dict[str, Any]:
    """The fields that the given options set."""
    if sum(bool(o[key]) for key in ("accounts", "sites", "hosts")) > 1:
        raise wrong("--accounts, --sites and --hosts exclude each other.", "Make several jobs.")
    fields: dict[str, Any] = {
        "messages": o["messages"],
        "stores": o["store"],
        "timetable": o["when"],
        "zone": o["zone"],
        "keep": o["keep"],
        "report_to": o["tell"],
        "report_when": o["tell_when"],
        "compression": o["compression"],
        "level": o["level"],
        "enabled": o["on"],
        "hold_page": o["hold_page"],
        "mode": o["mode"],
        "full_every": o["full_every"],
        "dead_share": o["dead_share"],
        "compare_every": o["compare_every"],
    }
    for kind in ("accounts", "sites", "hosts"):
        if chosen := o[kind]:
            fields["subjects"] = kind
            fields["choice"] = "all" if chosen == "all" else "listed"
            fields["names"] = [] if chosen == "all" else _listed(chosen)
            if kind == "hosts" and not o["contents"]:
                fields["contents"] = ["system"]
    if o["all_except"]:
        fields["choice"], fields["names"] = "all_but", _listed(o["all_except"])
    if o["contents"]:
        fields["contents"] = _listed(o["contents"])
    if o["piece_size"]:
        fields["piece_size"] = _bytes("piece-size", o["piece_size"])
    fields["rules"] = _part(
        old.rules if old else models.Rules(),
        {
            "includes": o["include"],
            "excludes": o["exclude"],
            "sets": o["exclude_set"],
            "larger_than": _bytes("larger-than", o["larger_than"]) if o["larger_than"] else None,
            "older_than": o["older_than"],
            "one_file_system": o["one_file_system"],
            "skip_tagged_caches": o["skip_tagged_caches"],
            "ignore_file": o["ignore_file"],
        },
    )
    fields["databases"] = _part(
        old.databases if old else models.Databases(),
        {
            "names": o["database"],
            "without": o["without_database"],
            "tables": o["table"],
            "without_tables": o["without_table"],
            "without_rows": o["without_rows"],
            "structure_only": o["structure_only"],
            "check_tables": o["check_tables"],
        },
    )
    if o["note"] is not None:
        fields["notes"] = [_note(text) for text in o["note"]]
    commands = [{"when": when, "command": command} for when in _WHEN for command in o[when] or ()]
    if commands or any(o[when] is not None for when in _WHEN):
        fields["commands"] = commands
    return {name: value for name, value in fields.items() if value is not None}


def _part(old: BaseModel, options: dict[str, Any]) -> dict[str, Any] | None:
    given = {key: value for key, value in options.items() if value is not None}
    return {**old.model_dump(), **given} if given else None


def _note(text: str) -> dict[str, Any]:
    name, equals, command = text.partition("=")
    if not (equals and name and command):
        raise wrong(f"“{text}” has no name or no command.", "Write NAME=COMMAND.", "--note")
    return {"name": name, "command": command}


@app.command()
@options_of(_shared)
def add(name: NewJobName, as_json: AsJson = False, **options: Any) -> None:
    """Add a job, and say what it will do."""
    with service(_OPTIONS) as client:
        fields = _fields(None, options)
        if not fields.get("stores"):
            known = ", ".join(s.name for s in client.every(client.stores_list))
            raise wrong("A job needs a store.", f"Stores: {known or 'none yet'}.", "--store")
        job = models.JobInput(name=name, **fields)
        advice = client.jobs_summary(job).advice
        made = client.jobs_add(job)
    if as_json:
        output.show_json(made)
        return
    output.out.print(f"Added job {name}. {made.summary}", soft_wrap=True, highlight=False)
    for line in advice:
        output.out.print(f"▲ {line}", soft_wrap=True, highlight=False, style="yellow")
    output.out.print(f"Start it once and watch: fasciculus start {name} --wait", highlight=False)


@app.command()
@options_of(_shared)
def change(name: JobName, as_json: AsJson = False, **options: Any) -> None:
    """Change a job; what is not named stays."""
    with service(_OPTIONS) as client:
        old = models.JobInput(
            **client.jobs_show(name).model_dump(include=set(models.JobInput.model_fields))
        )
        made = client.jobs_change(
            name, models.JobInput(**{**old.model_dump(), **_fields(old, options)})
        )
    output.done(made, f"Changed job {name}. {made.summary}", as_json)


@app.command()
def retiring(
    name: JobName,
    keep: Annotated[
        int | None,
        typer.Option(help="As if so many copies were kept; else as the job says.", min=1),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Say which copies would retire now, and what that would free; nothing is removed."""
    with service() as client:
        rows = client.jobs_retiring(name, keep).items
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("SUBJECT", lambda r: r.subject),
            ("STORE", lambda r: r.store),
            ("MOMENT", lambda r: moment(r.moment)),
            ("BUNDLE", lambda r: r.bundle),
            ("FREES", lambda r: output.size(r.frees)),
        ],
        "Nothing would retire.",
        right=["FREES"],
    )
    if rows:
        output.out.print(
            f"{len(rows):,} copies would go and free {output.size(sum(r.frees for r in rows))}.",
            highlight=False,
        )
    return None


@app.command()
def summary(name: JobName, as_json: AsJson = False) -> None:
    """Say what a job will do: its sentence, next starts, size, advice."""
    with service() as client:
        job = client.jobs_show(name)
        found = client.jobs_summary(
            models.JobInput(**job.model_dump(include=set(models.JobInput.model_fields)))
        )
    if as_json:
        return output.show_json(found)
    output.out.print(found.sentence, soft_wrap=True, highlight=False)
    for start in found.starts:
        output.out.print(f"  {moment(start)}", highlight=False)
    if found.packed:
        output.out.print(
            f"Size last seen: {output.size(found.bytes)}, {output.size(found.packed)} packed.",
            highlight=False,
        )
    for line in found.advice:
        output.out.print(f"▲ {line}", soft_wrap=True, highlight=False, style="yellow")
    return None


@app.command()
def remove(name: JobName, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a job; the bundles it made stay."""
    output.sure(f"Remove job {name}? The bundles it made stay.", yes)
    with service() as client:
        client.jobs_remove(name)
    output.done({"removed": name}, f"Removed job {name}. The bundles it made stay.", as_json)
