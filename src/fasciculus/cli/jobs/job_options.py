"""The options of ``fasciculus jobs add`` and ``change``, in groups."""

from __future__ import annotations

from typing import Annotated, Literal

import typer

from . import start_options

Accounts = Annotated[
    str | None,
    typer.Option(
        help="Accounts: “all”, or names separated by commas; also patterns such as shop-*, "
        "host:HOST for a whole host, or tag:TAG.",
        metavar="all|NAME,PATTERN,host:HOST,tag:TAG",
        rich_help_panel="What",
    ),
]
Sites = Annotated[
    str | None,
    typer.Option(
        help="Sites instead of accounts: “all”, or domains separated by commas; also patterns, "
        "host: and tag:.",
        metavar="all|DOMAIN,PATTERN,host:HOST,tag:TAG",
        rich_help_panel="What",
    ),
]
Hosts = Annotated[
    str | None,
    typer.Option(
        help="Hosts, for their own settings: “all”, or names separated by commas.",
        metavar="all|HOST,HOST",
        rich_help_panel="What",
    ),
]
Include = Annotated[
    list[str] | None,
    typer.Option(
        help="Include only this pattern, as in .gitignore; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Files",
    ),
]
Exclude = Annotated[
    list[str] | None,
    typer.Option(
        help="Exclude this pattern, as in .gitignore; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Files",
    ),
]
ExcludeSets = Annotated[
    list[str] | None,
    typer.Option(
        help="A predefined set of excludes: caches, logs, thumbnails, dependencies; may be "
        "repeated.",
        metavar="SET",
        rich_help_panel="Files",
    ),
]
LargerThan = Annotated[
    str | None,
    typer.Option(
        help="Maximum file size, such as 500MiB.", metavar="SIZE", rich_help_panel="Files"
    ),
]
OlderThan = Annotated[
    int | None,
    typer.Option(help="Maximum age of files in days.", rich_help_panel="Files"),
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
    typer.Option(help="Name of a file in a folder with further excludes.", rich_help_panel="Files"),
]
DatabaseNames = Annotated[
    list[str] | None,
    typer.Option(
        help="Include only databases that match this pattern; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
WithoutDatabase = Annotated[
    list[str] | None,
    typer.Option(
        help="Exclude databases that match this pattern; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
Table = Annotated[
    list[str] | None,
    typer.Option(
        help="Include only this table, as database.table; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
WithoutTable = Annotated[
    list[str] | None,
    typer.Option(
        help="Exclude this table; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
WithoutRows = Annotated[
    list[str] | None,
    typer.Option(
        help="Dump only the structure of this table; may be repeated.",
        metavar="PATTERN",
        rich_help_panel="Databases",
    ),
]
StructureOnly = Annotated[
    bool | None,
    typer.Option(
        "--structure-only/--with-rows",
        help="Dump only the structure of all tables.",
        rich_help_panel="Databases",
    ),
]
CheckTables = Annotated[
    bool | None,
    typer.Option(
        "--check-tables/--no-check-tables",
        help="Run CHECK TABLE before reading.",
        rich_help_panel="Databases",
    ),
]
Notes = Annotated[
    list[str] | None,
    typer.Option(
        help="Store the output of a command in the bundle; {account} and {home} are replaced. "
        "May be repeated.",
        metavar="NAME=COMMAND",
        rich_help_panel="Before and after",
    ),
]
Before = Annotated[
    list[str] | None,
    typer.Option(
        help="Command on the host before the task; if it fails, the task stops.",
        metavar="COMMAND",
        rich_help_panel="Before and after",
    ),
]
AfterSuccess = Annotated[
    list[str] | None,
    typer.Option(
        help="Command after success.", metavar="COMMAND", rich_help_panel="Before and after"
    ),
]
AfterFailure = Annotated[
    list[str] | None,
    typer.Option(
        help="Command after failure.", metavar="COMMAND", rich_help_panel="Before and after"
    ),
]
Always = Annotated[
    list[str] | None,
    typer.Option(
        help="Command after the task, whatever the outcome.",
        metavar="COMMAND",
        rich_help_panel="Before and after",
    ),
]
Mode = Annotated[
    Literal["full", "incremental"] | None,
    typer.Option(
        help="Bundle type: all data, or only changes.",
        rich_help_panel="Packing",
    ),
]
FullEvery = Annotated[
    int | None,
    typer.Option(
        help="Incremental: start a new full bundle after N days.", rich_help_panel="Packing"
    ),
]
MaxUnusedPercent = Annotated[
    int | None,
    typer.Option(
        help="Incremental: start a new full bundle when unused data exceeds N percent.",
        rich_help_panel="Packing",
    ),
]
CompareEvery = Annotated[
    int | None,
    typer.Option(
        help="Incremental: compare contents every N bundles; 0 for never.",
        rich_help_panel="Packing",
    ),
]
HoldPage = Annotated[
    bool | None,
    typer.Option(
        "--hold-page/--no-hold-page",
        help="Sites answer 503 during the backup.",
        rich_help_panel="Before and after",
    ),
]
AllExcept = Annotated[
    str | None, typer.Option(help="All except these.", metavar="NAME,NAME", rich_help_panel="What")
]
Contents = Annotated[
    str | None,
    typer.Option(
        help="files, databases, mail, system, notes, separated by commas.",
        metavar="KIND,KIND",
        rich_help_panel="What",
    ),
]
Messages = Annotated[
    bool | None,
    typer.Option(
        "--messages/--no-messages", help="With mail: include messages.", rich_help_panel="What"
    ),
]
Stores = Annotated[
    list[str] | None,
    typer.Option(
        "--store",
        help="Store for the copies; may be repeated.",
        rich_help_panel="Stores and timetable",
    ),
]
When = Annotated[
    str | None,
    typer.Option(
        help="When: “daily 02:15”, “hourly at :15”, “every 6 hours from 00:40”, “weekdays 02:15”, "
        "“weekly sun 03:00”, “monthly 1 04:00”, “monthly last sun 03:00”, "
        "“once 2026-12-01 22:00”, “by hand”, a cron expression, or several with semicolons.",
        rich_help_panel="Stores and timetable",
    ),
]
Zone = Annotated[
    str | None,
    typer.Option(
        help="Time zone of the timetable, such as Europe/London.",
        rich_help_panel="Stores and timetable",
    ),
]
Keep = Annotated[
    str | None,
    typer.Option(
        help="Keep rule, such as “7 newest”, “14 daily, 8 weekly, yearly forever”, "
        "“30 days, at least 3”, “forever”.",
        metavar="RULE",
        rich_help_panel="Keep and notify",
    ),
]
Tell = Annotated[
    list[str] | None,
    typer.Option(help="Report recipient; may be repeated.", rich_help_panel="Keep and notify"),
]
TellWhen = Annotated[
    Literal["always", "trouble", "recovery", "daily", "weekly", "monthly"] | None,
    typer.Option(
        help="Send reports always, on trouble, on trouble and recovery, or as a digest.",
        rich_help_panel="Keep and notify",
    ),
]
Compression = Annotated[
    Literal["zstd", "gzip", "none"] | None,
    typer.Option(help="Compression of pieces.", rich_help_panel="Packing"),
]
Level = Annotated[
    int | None,
    typer.Option(help="Compression level: zstd 1 to 19, gzip 1 to 9.", rich_help_panel="Packing"),
]
PieceSize = Annotated[
    str | None,
    typer.Option(help="Maximum piece size, such as 256MiB.", rich_help_panel="Packing"),
]
SealTo = Annotated[
    list[str] | None,
    typer.Option(
        "--seal-to",
        help="A public key, age1…, that its bundles are sealed to, in addition to those of its "
        "stores; “none” for none.",
        metavar="KEY",
        rich_help_panel="Packing",
    ),
]
AttachUpTo = Annotated[
    str | None,
    typer.Option(
        help="Attach bundles up to this size to the report, such as 2MiB; they never count as "
        "copies. 0 for none.",
        metavar="SIZE",
        rich_help_panel="Keep and notify",
    ),
]
On = Annotated[
    bool | None,
    typer.Option(
        "--on/--off",
        help="Start the job by its timetable.",
        rich_help_panel="Stores and timetable",
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
    """Take the options of ``add`` and ``change``."""
