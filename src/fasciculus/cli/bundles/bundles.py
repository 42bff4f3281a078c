"""``fasciculus bundles`` commands."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from itertools import islice
from pathlib import Path
from typing import Annotated, Literal

import typer

from ... import models
from ...core.formatting import format_file_name
from .. import output
from ..moments import parse_day
from ..output import moment, size
from ..parameters import AsJson
from ..runs import CHANGE_COLUMNS, changes_words
from ..session import service
from .bundle_choice import At, BundleText, chosen_bundle

_FIRST = 10
app = typer.Typer(help="Bundles and their contents.", no_args_is_help=True)

Number = Annotated[int, typer.Argument(help="The bundle's number.", show_default=False)]
Contents = Annotated[str, typer.Option(help="Only this kind: files, databases or mail.")]


@app.command()
def pin(
    number: Number,
    reason: Annotated[str, typer.Option(help="Reason for the pin.")] = "",
    until: Annotated[
        date | None,
        typer.Option(
            parser=parse_day,
            metavar="DAY",
            help="Pinned until the end of this day, such as friday or 2026-12-24; without it, "
            "until unpinned.",
        ),
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Exempt a bundle from every keep rule."""
    end = datetime.combine(until + timedelta(days=1), time()).astimezone() if until else None
    with service() as client:
        found = client.bundles_pin(number, models.Pin(reason=reason, until=end))
    said = f"until {moment(end)}" if end else "until unpinned"
    output.done(found, f"Pinned {found.subject} {found.name}, {said}.", as_json)


@app.command()
def unpin(number: Number, as_json: AsJson = False) -> None:
    """Remove the pin of a bundle, so that the keep rule applies again."""
    with service() as client:
        found = client.bundles_unpin(number)
    said = f"{found.subject} {found.name} may retire again."
    output.done(found, said, as_json)


@app.command("list")
def list_(
    subject: Annotated[str, typer.Option(help="Only of this account or site.")] = "",
    job: Annotated[str, typer.Option(help="Only of this job.")] = "",
    store: Annotated[str, typer.Option(help="Only with a copy on this store.")] = "",
    find: Annotated[str, typer.Option(help="Only names that contain this text.")] = "",
    count: Annotated[int, typer.Option(help="Maximum number of rows.", min=1)] = 30,
    as_json: AsJson = False,
) -> None:
    """List bundles, newest first."""
    with service() as client:
        rows = list(
            islice(
                client.every(client.bundles_list, subject=subject, job=job, store=store, q=find),
                count,
            )
        )
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("BUNDLE", lambda b: b.id),
            ("SUBJECT", lambda b: b.subject),
            ("MOMENT", lambda b: moment(b.moment)),
            ("JOB", lambda b: b.job),
            ("ENTRIES", lambda b: f"{b.entries:,}"),
            ("SIZE", lambda b: size(b.bytes)),
            ("NEW DATA", lambda b: size(b.new_bytes)),
            ("STORED", lambda b: size(b.packed)),
            (
                "COPIES ON",
                lambda b: ", ".join(c.store + ("" if c.sound else " (damaged)") for c in b.copies),
            ),
        ],
        "No bundles yet. Start a job: fasciculus start JOB --wait",
        right=["BUNDLE", "ENTRIES", "SIZE", "NEW DATA", "STORED"],
    )
    return None


@app.command()
def show(
    bundle: BundleText,
    at: At = None,
    how: Annotated[
        bool,
        typer.Option("--how", help="How to bring it back, with Fasciculus and by hand."),
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Show one bundle: contents, databases, pieces, copies."""
    with service() as client:
        number = chosen_bundle(client, bundle, at)
        if how:
            return _instruct(client.bundles_instructions(number), as_json)
        found = client.bundles_show(number)
    return _show(found, as_json)


def _instruct(found: models.Instructions, as_json: bool) -> None:
    if as_json:
        return output.show_json(found)
    output.say("With Fasciculus")
    _steps(found.with_fasciculus)
    output.say("By hand")
    for number, row in enumerate(found.by_hand, 1):
        row.title = f"{number}. {row.title}"
    _steps(found.by_hand)
    return None


def _steps(rows: list[models.InstructionStep]) -> None:
    for row in rows:
        output.say(f"  {row.title}")
        for command in row.commands:
            output.say(f"      {command}")
        if row.note:
            output.say(f"    {row.note}")


def _show(bundle: models.BundleDetail, as_json: bool) -> None:
    if as_json:
        return output.show_json(bundle)
    output.show_fields(
        [
            ("bundle", f"{bundle.id}: {bundle.name}"),
            ("of", f"{bundle.subject_kind} {bundle.subject}"),
            ("moment", moment(bundle.moment)),
            ("job", f"{bundle.job}, run {bundle.run}"),
            (
                "size",
                f"{bundle.entries:,} entries, {size(bundle.bytes)}; of these "
                f"{size(bundle.new_bytes)} new, "
                f"{size(max(bundle.bytes - bundle.new_bytes, 0))} were there already",
            ),
            ("changes", changes_words(bundle.changes)),
            ("copies", "\n".join(map(_copy, bundle.copies))),
            *(
                (
                    kind,
                    f"{count.entries:,} entries, {size(count.bytes)}"
                    + (f", {len(count.unreadable)} could not be read" if count.unreadable else ""),
                )
                for kind, count in bundle.contents.items()
            ),
            (
                "rows",
                "\n".join(
                    f"{d.engine} {d.name}: {len(d.tables)} tables, {sum(d.tables.values()):,} rows"
                    for d in bundle.databases
                )
                or "none",
            ),
            ("brings", _brings(bundle)),
            (
                "pieces",
                "\n".join(
                    f"{p.name}  {size(p.bytes)}" + ("" if p.brought else "  (of an earlier bundle)")
                    for p in bundle.pieces
                )
                or "none",
            ),
        ]
    )
    return None


def _copy(copy: models.Copy) -> str:
    looked = "never verified"
    if copy.verified_deep:
        looked = f"read through {moment(copy.verified_deep)}"
    elif copy.verified:
        looked = f"looked at {moment(copy.verified)}"
    if copy.locked_until:
        looked += f", locked until {moment(copy.locked_until)}"
    return f"{copy.store}, made {moment(copy.made)}, {looked}{'' if copy.sound else ', DAMAGED'}"


@app.command()
def changes(
    number: Number,
    against: Annotated[
        int | None,
        typer.Option(
            help="Compare with this bundle instead of the previous one.", show_default=False
        ),
    ] = None,
    state: Annotated[str, typer.Option(help="Only new, changed or gone entries.")] = "",
    contents: Annotated[str, typer.Option(help="Only this kind.")] = "",
    find: Annotated[str, typer.Option(help="Only paths that contain this.")] = "",
    count: Annotated[int, typer.Option(help="Maximum number of rows.", min=1)] = 200,
    as_json: AsJson = False,
) -> None:
    """List what was added, changed and removed since the previous bundle."""
    with service() as client:
        rows = list(
            islice(
                client.every(
                    client.bundles_changes,
                    bundle_id=number,
                    against=against or "",
                    state=state,
                    contents=contents,
                    q=find,
                    limit=500,
                ),
                count,
            )
        )
        tables = client.bundles_table_changes(number, against).items
    if as_json:
        return output.show_json(rows)
    output.show_table(rows, CHANGE_COLUMNS, "No differences.", right=["SIZE", "BEFORE"])
    if tables:
        columns: list[output.Column] = [
            ("TABLE", lambda row: f"{row.database}.{row.table}"),
            ("ROWS BEFORE", lambda row: "none" if row.before is None else f"{row.before:,}"),
            ("ROWS", lambda row: "none" if row.after is None else f"{row.after:,}"),
        ]
        output.show_table(tables, columns, "", right=["ROWS BEFORE", "ROWS"])
    return None


@app.command()
def diff(
    bundle: BundleText,
    path: Annotated[str, typer.Argument(help="A file's path, as listed.", show_default=False)],
    against: Annotated[
        int | None,
        typer.Option(help="Compare with this bundle; the previous one by default."),
    ] = None,
    contents: Annotated[str, typer.Option(help="Its kind; files by default.")] = "",
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Show the differing lines of a small text file in two bundles."""
    with service() as client:
        number = chosen_bundle(client, bundle, at, contents or "files", "")
        found = client.bundles_difference(number, path, against, contents)
    if as_json:
        return output.show_json(found)
    for line in found.lines:
        typer.echo(line)
    if not found.lines:
        output.say(found.note or "No difference.")
    return None


_ENTRY_COLUMNS: list[output.Column] = [
    ("MODE", lambda e: e.mode),
    ("OWNER", lambda e: f"{e.user}:{e.group}"),
    ("SIZE", lambda e: size(e.bytes)),
    ("CHANGED", lambda e: moment(e.mtime)),
]


def _shown(entry: models.BundleEntry, name: str) -> str:
    if entry.type == "dir":
        return f"{name}/  ({entry.files:,} files)"
    return f"{name} -> {entry.target}" if entry.target is not None else name


def _brings(bundle: models.BundleDetail) -> str:
    """Return the type of a bundle, and what an incremental one builds on."""
    if bundle.brings == "full":
        return f"all its bytes (full), {size(bundle.packed)} packed"
    return (
        f"what changed (incremental), {size(bundle.packed)} packed; builds on the full bundle of "
        f"{output.moment(datetime.fromisoformat(bundle.base))}; {bundle.unused_share:.0%} of its "
        "pieces is no longer needed"
    )


@app.command()
def files(
    bundle: BundleText,
    folder: Annotated[str, typer.Argument(help="A folder in it.")] = "",
    contents: Contents = "files",
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """List the contents of a folder in a bundle."""
    with service() as client:
        number = chosen_bundle(client, bundle, at, contents)
        found = client.bundles_files(number, contents, folder)
    if as_json:
        return output.show_json(found)
    columns = [*_ENTRY_COLUMNS, ("NAME", lambda e: _shown(e, e.name))]
    output.show_table(found.items, columns, f"There is no {contents} there.", right=["SIZE"])
    if found.more:
        output.out.print("… and more; search with: fasciculus bundles search")
    return None


@app.command()
def tables(
    bundle: BundleText,
    database: Annotated[str, typer.Argument(help="Only this database.")] = "",
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """List the databases of a bundle by their tables."""
    with service() as client:
        found = client.bundles_tables(chosen_bundle(client, bundle, at, "databases"))
    if as_json:
        return output.show_json(found)
    rows = [
        (known, table)
        for known in found.items
        if database in ("", known.name)
        for table in known.tables
    ]
    columns: list[output.Column] = [
        ("DATABASE", lambda row: row[0].name),
        ("SERVER", lambda row: row[0].engine_title),
        ("TABLE", lambda row: row[1].name),
        ("ROWS", lambda row: "" if row[1].rows is None else f"{row[1].rows:,}"),
        ("SIZE", lambda row: size(row[1].bytes) if row[1].bytes else ""),
    ]
    none = f"The bundle holds no database “{database}”." if database else "It holds no database."
    output.show_table(rows, columns, none, right=["ROWS", "SIZE"])
    return None


@app.command()
def search(
    bundle: BundleText,
    words: Annotated[str, typer.Argument(help="Text in the path.")],
    contents: Annotated[str, typer.Option(help="Only this kind.")] = "",
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Search the entries of a bundle by name."""
    with service() as client:
        number = chosen_bundle(client, bundle, at, contents)
        found = client.bundles_search(number, words, contents)
    if as_json:
        return output.show_json(found)
    columns = [*_ENTRY_COLUMNS, ("PATH", lambda e: _shown(e, e.path))]
    output.show_table(found.items, columns, f"No path contains “{words}”.", right=["SIZE"])
    if found.more:
        output.out.print("… and more; add a word.")
    return None


@app.command()
def versions(
    subject: Annotated[
        str, typer.Argument(help="An account or site; “all” for all.", show_default=False)
    ],
    words: Annotated[
        list[str], typer.Argument(help="Parts of the path, as written there.", show_default=False)
    ],
    as_json: AsJson = False,
) -> None:
    """List the versions of a file over all bundles: when it changed, and when it went."""
    with service() as client:
        found = client.bundles_versions(
            " ".join(words), subject="" if subject == "all" else subject
        )
    if as_json:
        return output.show_json(found)
    rows = [(file, version) for file in found.items for version in reversed(file.versions)]
    columns: list[output.Column] = [
        ("SUBJECT", lambda row: row[0].subject),
        ("JOB", lambda row: row[0].job),
        ("PATH", lambda row: row[0].path),
        ("SIZE", lambda row: size(row[1].bytes)),
        ("FIRST IN", lambda row: _bundle_words(row[1].first, row[1].first_moment)),
        ("LAST IN", lambda row: _bundle_words(row[1].last, row[1].last_moment)),
        ("", lambda row: "gone since" if row[0].is_gone and row[1] is row[0].versions[-1] else ""),
    ]
    output.show_table(rows, columns, f"No path contains “{' '.join(words)}”.", right=["SIZE"])
    more = "; there is more: name more of the path" if found.more else ""
    looked = output.count(found.bundles, "bundle")
    output.say(f"Searched {looked} in {found.seconds:.1f} s{more}.")
    for line in found.unreadable:
        output.complain(line)
    return None


def _bundle_words(number: int, at: datetime) -> str:
    return f"{number} ({moment(at)})"


@app.command()
def link(
    bundle: BundleText,
    contents: Annotated[str, typer.Option(help="Only this kind.")] = "",
    path: Annotated[
        list[str] | None, typer.Option(help="Only at or below this path; may be repeated.")
    ] = None,
    form: Annotated[
        Literal["tar.gz", "tar.zst", "zip"] | None,
        typer.Option("--as", help="Archive format; zip by default.", show_default=False),
    ] = None,
    database: Annotated[str, typer.Option(help="One database, as one SQL file.")] = "",
    table: Annotated[
        list[str] | None,
        typer.Option(help="With --database: only this table; may be repeated."),
    ] = None,
    hours: Annotated[int, typer.Option(help="Hours until it expires.")] = 24,
    uses: Annotated[int, typer.Option(help="Maximum number of uses.")] = 1,
    note: Annotated[str, typer.Option(help="Shown on the page of the link.")] = "",
    for_installation: Annotated[
        bool,
        typer.Option(
            "--for-installation",
            help="A code instead, by which another installation takes the bundle over.",
        ),
    ] = False,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Make a link to one download, for someone without a sign-in. It is shown only once."""
    wanted = {
        "contents": contents,
        "path": path or [],
        "form": "sql" if database else form or "zip",
        "database": database,
        "table": table or [],
    }
    with service({"download.database": "--database", "download.table": "--table"}) as client:
        number = chosen_bundle(client, bundle, at, contents, "")
        start = models.DownloadLinkStart.model_validate(
            {"download": wanted, "hours": hours, "uses": uses, "note": note}
            | {"as_copy": for_installation}
        )
        made = client.links_make(number, start)
    if for_installation:
        return output.done(made, _code(made), as_json)
    until = f"until {moment(made.expires)}, {output.count(made.uses, 'use')}"
    output.done(
        made, f"{made.url}\nLink {made.id}: {until}. Anyone who has it can use it.", as_json
    )


def _code(made: models.DownloadLinkMade) -> str:
    return (
        f"{made.code}\n"
        f"Link {made.id}: until {moment(made.expires)}. Put this code into a file there, then:\n"
        f"fasciculus stores upload STORE --from {made.url} --code-file FILE"
    )


def _part_of(row: models.DownloadLink) -> str:
    if row.as_copy:
        return "the bundle, for another installation"
    return row.download.database or " ".join(row.download.path) or "everything"


@app.command()
def links(as_json: AsJson = False) -> None:
    """List the links to downloads that have not expired."""
    with service() as client:
        found = client.links_list().items
    if as_json:
        return output.show_json(found)
    columns: list[output.Column] = [
        ("LINK", lambda row: row.id),
        ("SUBJECT", lambda row: row.subject),
        ("BUNDLE", lambda row: row.bundle),
        ("WHAT", _part_of),
        ("EXPIRES", lambda row: moment(row.expires)),
        ("USED", lambda row: "" if row.as_copy else f"{row.used} of {row.uses}"),
        ("MADE BY", lambda row: row.created_by),
        ("NOTE", lambda row: row.note),
    ]
    output.show_table(found, columns, "No link.", right=["LINK", "BUNDLE"])
    return None


@app.command()
def unlink(
    number: Annotated[int, typer.Argument(help="The link's number.", show_default=False)],
    as_json: AsJson = False,
) -> None:
    """Revoke a link to a download."""
    with service() as client:
        client.links_remove(number)
    output.done({"id": number}, f"Link {number} is revoked.", as_json)


@app.command()
def download(
    bundle: BundleText,
    target: Annotated[
        Path | None, typer.Option("--to", help="Target file; by default named after the bundle.")
    ] = None,
    contents: Annotated[str, typer.Option(help="Only this kind.")] = "",
    path: Annotated[
        list[str] | None, typer.Option(help="Only at or below this path; may be repeated.")
    ] = None,
    store: Annotated[str, typer.Option(help="The copy to read.")] = "",
    form: Annotated[
        Literal["tar.gz", "tar.zst", "zip"] | None,
        typer.Option("--as", help="Archive format; tar.gz by default.", show_default=False),
    ] = None,
    database: Annotated[str, typer.Option(help="One database of a server, as one SQL file.")] = "",
    table: Annotated[
        list[str] | None,
        typer.Option(help="With --database: only this table; may be repeated."),
    ] = None,
    at: At = None,
    as_json: AsJson = False,
) -> None:
    """Download a bundle, or part of it, as one archive, or a database as one SQL file."""
    if form and database:
        raise output.wrong("A database is downloaded as SQL.", "Leave --as out.", "--as")
    if table and not database:
        raise output.wrong("Tables need their database.", "Name it with --database.", "--table")
    with service() as client:
        number = chosen_bundle(client, bundle, at, contents, store)
        found = client.bundles_show(number)
        kind = form or ("sql" if database else "tar.gz")
        name = format_file_name(found.subject, database, *(table or []), found.name)
        target = target or Path(f"{name}.{kind}")
        if target.exists():
            raise output.wrong(f"{target} exists already.", "Name another file with --to.")
        length, report = client.bundles_download(
            number, target, contents, path, store, kind, database, table
        )
    whole = {
        "file": str(target),
        "bytes": length,
        "sha256": report.sha256,
        "omissions": report.omissions,
    }
    if not report.omissions:
        output.done(
            whole,
            f"{target}: {size(length)}, whole and checked.\nSHA-256: {report.sha256}",
            as_json,
        )
        return
    lacks = output.count(report.omissions, "entry is", "entries are")
    said = f"{target}: {size(length)}. {lacks} missing or altered:"
    output.done(whole, "\n  ".join([said, *report.named[:_FIRST]]), as_json)
    output.complain("The archive is incomplete: its OMISSIONS.txt lists what is missing.")
    raise typer.Exit(output.TROUBLE)
