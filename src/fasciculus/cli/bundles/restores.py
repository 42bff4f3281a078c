"""``fasciculus restores`` commands."""

from __future__ import annotations

from itertools import islice
from typing import Annotated, NoReturn

import typer

from ... import models
from ...core.restore.actions import Action
from ...core.restore.restore_kind import RestoreKind, SetAside
from .. import output
from ..output import moment, size
from ..parameters import AsJson, Yes
from ..progress import exit_code, follow_restore
from ..runs import show_log
from ..session import service
from .relocations import folder_words

app = typer.Typer(help="Restores, their plans and results.", no_args_is_help=True)

RestoreNumber = Annotated[int, typer.Argument(help="The restore's number.", show_default=False)]


def where(row: models.Restore) -> str:
    """Return where a restore brings things back to, in a few words."""
    place = "in place" if row.in_place else row.target
    if row.relocation is not None:
        place = folder_words(row.relocation)
    match row.kind:
        case RestoreKind.PLAN:
            return f"{place} (plan)"
        case RestoreKind.UNDO:
            return f"undo of {row.of_restore}"
        case RestoreKind.DROP:
            return f"drop of {row.of_restore}"
        case RestoreKind.DRILL:
            return "a drill"
    return place


def _aside(row: models.Restore) -> str:
    if row.aside == SetAside.KEPT and row.relocation is not None and row.relocation.beside:
        return "until removed"
    if row.aside == SetAside.KEPT:
        return f"until {moment(row.aside_until)}" if row.aside_until else "until dropped"
    return row.aside


def plan_words(plan: models.RestorePlan) -> str:
    """Return the sums of a plan in one sentence."""
    counts = (
        (plan.created, "created"),
        (plan.replaced, "replaced"),
        (plan.removed, "removed"),
        (plan.attributes, "with other attributes"),
        (plan.kept, "kept although different"),
        (plan.unchanged, "unchanged"),
    )
    said = ", ".join(f"{number:,} {word}" for number, word in counts if number)
    return (
        f"{said or 'nothing'}; {size(plan.write_bytes)} to write, {size(plan.aside_bytes)} to "
        + ("set aside")
    )


def end_with(done: models.Restore, sentence: str, as_json: bool) -> NoReturn:
    """Print the sentence of a restore that has ended, or its error, and exit with its code."""
    if as_json or done.outcome in ("done", "warned"):
        output.done(done, sentence, as_json)
    else:
        output.complain(done.error)
    raise typer.Exit(exit_code(done.outcome))


@app.command("list")
def list_(
    count: Annotated[int, typer.Option(help="Maximum number of rows.", min=1)] = 20,
    as_json: AsJson = False,
) -> None:
    """List restores, newest first."""
    with service() as client:
        rows = list(islice(client.every(client.restores_list), count))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("RESTORE", lambda r: r.id),
            ("SUBJECT", lambda r: r.subject),
            ("BUNDLE", lambda r: r.bundle),
            ("TO", where),
            ("OUTCOME", lambda r: output.outcome(r.outcome, r.state)),
            ("SET ASIDE", _aside),
            ("STARTED", lambda r: moment(r.created)),
            ("SIZE", lambda r: size(r.bytes)),
        ],
        "No restores yet. Restore a bundle: fasciculus restore BUNDLE --to FOLDER",
        right=["RESTORE", "SIZE"],
    )
    return None


@app.command("show")
def show(number: RestoreNumber, as_json: AsJson = False) -> None:
    """Show one restore."""
    with service() as client:
        row = client.restores_show(number)
    if as_json:
        return output.show_json(row)
    output.show_fields(
        [
            ("restore", row.id),
            ("bundle", f"{row.bundle} of {row.subject}"),
            ("from store", row.store),
            ("to", where(row)),
            *([("plan", plan_words(row.plan))] if row.plan else []),
            *([("set aside", _aside(row))] if row.aside else []),
            ("databases", ", ".join(f"{a} as {b}" for a, b in row.databases.items()) or "none"),
            ("outcome", output.outcome(row.outcome, row.state)),
            ("error", row.error or "none"),
            ("restored", f"{row.entries:,} entries, {size(row.bytes)}"),
        ]
    )
    return None


@app.command("cancel")
def cancel(number: RestoreNumber, as_json: AsJson = False) -> None:
    """Cancel a restore; files already written stay in its folder."""
    with service() as client:
        client.restores_cancel(number)
    output.done({"cancelled": number}, f"Restore {number} is being cancelled.", as_json)


@app.command("log")
def log(number: RestoreNumber, as_json: AsJson = False) -> None:
    """Print the log of a restore."""
    with service() as client:
        rows = list(client.every(client.restores_log, restore_id=number, limit=500))
    if as_json:
        return output.show_json(rows)
    show_log(rows)
    return None


_COLUMNS: list[output.Column] = [
    ("ACTION", lambda row: row.action),
    ("PATH", lambda row: _path(row)),
    ("SIZE", lambda row: size(row.bytes) if row.bytes else ""),
    ("NOW", lambda row: size(row.before) if row.before else ""),
    ("WHY", lambda row: row.why),
]


def _path(row: models.RestorePlanLine) -> str:
    # What is no file of the account says what it is.
    before = f"{row.type} " if row.type in ("table", "user", "setting", "mail") else ""
    return f"{before}{row.path or '.'}{'/' if row.type == 'dir' else ''}"


def show_plan(rows: list[models.RestorePlanLine]) -> None:
    """Print lines of a plan."""
    output.show_table(rows, _COLUMNS, "Nothing changes.", right=["SIZE", "NOW"])


@app.command()
def plan(
    number: RestoreNumber,
    action: Annotated[
        Action | None, typer.Option(help="Only lines of this action.", show_default=False)
    ] = None,
    count: Annotated[int, typer.Option(help="Maximum number of rows.", min=1)] = 200,
    as_json: AsJson = False,
) -> None:
    """List what a restore in place changes, path by path."""
    with service() as client:
        lines = client.every(
            client.restores_plan, restore_id=number, action=action or "", limit=500
        )
        rows = list(lines if as_json else islice(lines, count + 1))
    if as_json:
        return output.show_json(rows)
    show_plan(rows[:count])
    if len(rows) > count:
        output.say(f"… and more; --count {count * 10} shows more of them.")
    return None


@app.command()
def undo(
    number: RestoreNumber,
    force: Annotated[
        bool,
        typer.Option(
            "--force", help="Even if something changed since; what changed is then set aside."
        ),
    ] = False,
    yes: Yes = False,
    as_json: AsJson = False,
) -> None:
    """Put back what a restore in place has set aside."""
    with service() as client:
        of = client.restores_show(number)
        output.sure(f"Put {of.subject} back as it was before restore {number}?", yes)
        step = client.restores_undo(number, models.RestoreUndo(force=force)).id
        done = follow_restore(client, step)
    end_with(done, f"{of.subject} is as it was before restore {number}.", as_json)


@app.command()
def drop(number: RestoreNumber, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove what a restore in place has set aside; it cannot be undone then."""
    with service() as client:
        of = client.restores_show(number)
        freed = size(of.plan.aside_bytes) if of.plan else "what is there"
        output.sure(f"Remove {freed} that restore {number} of {of.subject} has set aside?", yes)
        done = follow_restore(client, client.restores_drop(number).id)
    end_with(done, f"Removed what restore {number} had set aside.", as_json)


@app.command()
def remove(number: RestoreNumber, yes: Yes = False, as_json: AsJson = False) -> None:
    """Remove a copy next to the original: its folder, databases and database users."""
    with service() as client:
        of = client.restores_show(number)
        if of.relocation is None or not of.relocation.beside:
            raise output.wrong(
                f"Restore {number} made no copy next to the original.",
                "“restores undo” takes a restore in place back.",
            )
        place = f"{of.relocation.to_folder} of {of.relocation.account}"
        names = ", ".join(of.databases.values())
        databases = f" and the databases {names}" if names else ""
        output.sure(f"Remove {place}{databases}, with all changes made there?", yes)
        done = of
        if of.aside == SetAside.KEPT:
            step = client.restores_undo(number, models.RestoreUndo(force=True)).id
            done = follow_restore(client, step)
        if done.outcome in ("done", "warned"):
            done = follow_restore(client, client.restores_drop(number).id)
    end_with(done, f"Removed {place}{databases}.", as_json)
