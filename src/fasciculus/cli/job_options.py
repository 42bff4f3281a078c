"""The options of ``fasciculus jobs add`` and ``change``, in groups."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Literal

import typer

from . import start_options

if TYPE_CHECKING:
    pass

Accounts = Annotated[
    str | None,
    typer.Option(
        help="What: “all”, or names with commas between them, each also a pattern such as "
        "shop-*, host:HOST for all of a host, or tag:TAG for all with that tag.",
        metavar="all|NAME,PATTERN,host:HOST,tag:TAG",
        rich_help_panel="What",
    ),
]
Sites = Annotated[
    str | None,
    typer.Option(
        help="What: “all”, or domains with commas, instead of accounts; patterns, host: and tag: "
        "too.",
        metavar="all|DOMAIN,PATTERN,host:HOST,tag:TAG",
        rich_help_panel="What",
    ),
]
Hosts = Annotated[
    str | None,
    typer.Option(
        help="What: “all”, or hosts with commas, for their own settings.",
        metavar="all|HOST,HOST",
        rich_help_panel="What",
    ),
]
Include = Annotated[
    list[str] | None,
    typer.Option(
        help="Only what matches, as in .gitignore; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Files",
    ),
]
Exclude = Annotated[
    list[str] | None,
    typer.Option(
        help="Leave out what matches, as in .gitignore; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Files",
    ),
]
ExcludeSets = Annotated[
    list[str] | None,
    typer.Option(
        help="A ready set: caches, logs, thumbnails, dependencies; may be repeated.",
        metavar="SET",
        rich_help_panel="Files",
    ),
]
LargerThan = Annotated[
    str | None,
    typer.Option(
        help="Leave out larger files, as in 500MiB.", metavar="SIZE", rich_help_panel="Files"
    ),
]
OlderThan = Annotated[
    int | None,
    typer.Option(help="Leave out files not changed for so many days.", rich_help_panel="Files"),
]
OneFileSystem = Annotated[
    bool | None,
    typer.Option(
        "--one-file-system/--all-file-systems",
        help="Stay on the file system of the home.",
        rich_help_panel="Files",
    ),
]
SkipTagged = Annotated[
    bool | None,
    typer.Option(
        "--skip-tagged-caches/--keep-tagged-caches",
        help="Exclude folders with a CACHEDIR.TAG.",
        rich_help_panel="Files",
    ),
]
IgnoreFile = Annotated[
    str | None,
    typer.Option(help="Name of a file of further excludes in a folder.", rich_help_panel="Files"),
]
DatabaseNames = Annotated[
    list[str] | None,
    typer.Option(
        help="Only databases of this pattern; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
WithoutDatabase = Annotated[
    list[str] | None,
    typer.Option(
        help="No database of this pattern; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
Table = Annotated[
    list[str] | None,
    typer.Option(
        help="Only these tables, as database.table; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
WithoutTable = Annotated[
    list[str] | None,
    typer.Option(
        help="Without these tables; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
WithoutRows = Annotated[
    list[str] | None,
    typer.Option(
        help="Of these tables the structure alone; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
StructureOnly = Annotated[
    bool | None,
    typer.Option(
        "--structure-only/--with-rows",
        help="Of all tables the structure alone.",
        rich_help_panel="Databases",
    ),
]
CheckTables = Annotated[
    bool | None,
    typer.Option(
        "--check-tables/--no-check-tables",
        help="CHECK TABLE before reading.",
        rich_help_panel="Databases",
    ),
]
Notes = Annotated[
    list[str] | None,
    typer.Option(
        help="Keep the output of a command; {account} and {home} stand for the subject's. May be "
        "repeated.",
        metavar="NAME=COMMAND",
        rich_help_panel="Around it",
    ),
]
Before = Annotated[
    list[str] | None,
    typer.Option(
        help="Command on the host before the task; when it fails, the task stops.",
        metavar="COMMAND",
        rich_help_panel="Around it",
    ),
]
AfterSuccess = Annotated[
    list[str] | None,
    typer.Option(help="Command after success.", metavar="COMMAND", rich_help_panel="Around it"),
]
AfterFailure = Annotated[
    list[str] | None,
    typer.Option(help="Command after failure.", metavar="COMMAND", rich_help_panel="Around it"),
]
Always = Annotated[
    list[str] | None,
    typer.Option(
        help="Command after the task, always.", metavar="COMMAND", rich_help_panel="Around it"
    ),
]
Mode = Annotated[
    Literal["full", "incremental"] | None,
    typer.Option(
        help="Whether each bundle brings all its bytes, or only those that changed.",
        rich_help_panel="Packing",
    ),
]
FullEvery = Annotated[
    int | None,
    typer.Option(
        help="Incremental: a new full bundle after so many days.", rich_help_panel="Packing"
    ),
]
MaxUnusedPercent = Annotated[
    int | None,
    typer.Option(
        help="Incremental: a new full bundle when more than so many percent of what is stored is "
        "no longer needed.",
        rich_help_panel="Packing",
    ),
]
CompareEvery = Annotated[
    int | None,
    typer.Option(
        help="Incremental: every so many bundles compare contents; 0 never.",
        rich_help_panel="Packing",
    ),
]
HoldPage = Annotated[
    bool | None,
    typer.Option(
        "--hold-page/--no-hold-page",
        help="Sites answer 503 while their bundle is taken.",
        rich_help_panel="Around it",
    ),
]
AllExcept = Annotated[
    str | None, typer.Option(help="All except these.", metavar="NAME,NAME", rich_help_panel="What")
]
Contents = Annotated[
    str | None,
    typer.Option(
        help="files, databases, mail, system, notes, with commas between them.",
        metavar="KIND,KIND",
        rich_help_panel="What",
    ),
]
Messages = Annotated[
    bool | None,
    typer.Option(
        "--messages/--no-messages", help="With mail: the messages too.", rich_help_panel="What"
    ),
]
Stores = Annotated[
    list[str] | None,
    typer.Option(
        "--store", help="Where: a store; may be repeated.", rich_help_panel="Where and when"
    ),
]
When = Annotated[
    str | None,
    typer.Option(
        help="When: “daily 02:15”, “hourly at :15”, “every 6 hours from 00:40”, “weekdays 02:15”, "
        "“weekly sun 03:00”, “monthly 1 04:00”, “monthly last sun 03:00”, "
        "“once 2026-12-01 22:00”, “by hand”, a cron expression, or several with semicolons.",
        rich_help_panel="Where and when",
    ),
]
Zone = Annotated[
    str | None,
    typer.Option(
        help="Time zone of the timetable, as in Europe/London.", rich_help_panel="Where and when"
    ),
]
Keep = Annotated[
    str | None,
    typer.Option(
        help="Keep: which copies stay, such as “7 newest”, “14 daily, 8 weekly, yearly for ever”, "
        "“30 days, at least 3”, “for ever”.",
        metavar="RULE",
        rich_help_panel="Keep and tell",
    ),
]
Tell = Annotated[
    list[str] | None,
    typer.Option(help="Tell: a report address; may be repeated.", rich_help_panel="Keep and tell"),
]
TellWhen = Annotated[
    Literal["always", "trouble", "recovery", "daily", "weekly"] | None,
    typer.Option(
        help="When to tell: each time, on trouble, on trouble and recovery, or in a digest.",
        rich_help_panel="Keep and tell",
    ),
]
Compression = Annotated[
    Literal["zstd", "gzip", "none"] | None,
    typer.Option(help="How pieces are packed.", rich_help_panel="Packing"),
]
Level = Annotated[
    int | None,
    typer.Option(help="How hard to pack: zstd 1 to 19, gzip 1 to 9.", rich_help_panel="Packing"),
]
PieceSize = Annotated[
    str | None,
    typer.Option(help="Split pieces at this size, as in 256MiB.", rich_help_panel="Packing"),
]
SealTo = Annotated[
    list[str] | None,
    typer.Option(
        "--seal-to",
        help="A public key, age1…, that its bundles are sealed to, beside those of its stores; "
        "“none” for none.",
        metavar="KEY",
        rich_help_panel="Packing",
    ),
]
AttachUpTo = Annotated[
    str | None,
    typer.Option(
        help="Send bundles up to this size along with the report, such as 2MiB; they never count "
        "as copies. 0 for none.",
        metavar="SIZE",
        rich_help_panel="Keep and tell",
    ),
]
On = Annotated[
    bool | None,
    typer.Option(
        "--on/--off", help="Whether the timetable starts the job.", rich_help_panel="Where and when"
    ),
]
#: Options whose names are not those of the fields.
OPTIONS = {
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
    **start_options.OPTIONS,
}


def shared(
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
    max_unused_percent: MaxUnusedPercent = None,
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
    seal_to: SealTo = None,
    attach_up_to: AttachUpTo = None,
    on: On = None,
) -> None:
    """The options of ``add`` and ``change``."""
