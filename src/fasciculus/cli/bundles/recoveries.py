"""``fasciculus recoveries`` commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from ... import models
from ...core.errors import FasciculusError
from ...core.recovery.progress import SETTLED, RecoveryState
from ...core.subject import SubjectKind
from .. import output
from ..output import count, moment
from ..parameters import AsJson, Yes
from ..progress import follow_restore
from ..session import service
from .bundle_choice import At, chosen_bundle

if TYPE_CHECKING:
    from ...client import Client

app = typer.Typer(
    help="Recoveries: a lost host with all of its accounts brought back.", no_args_is_help=True
)

Number = Annotated[int, typer.Argument(help="The recovery's number.", show_default=False)]


@app.command()
def run(
    host: Annotated[str, typer.Argument(help="The lost host.", show_default=False)],
    at: At = None,
    first: Annotated[
        list[str] | None,
        typer.Option(help="Account that comes back before the others; may be repeated."),
    ] = None,
    web_address: Annotated[
        str,
        typer.Option(
            help="Address of its web server; the host's by default.",
            metavar="ADDRESS:PORT",
        ),
    ] = "",
    key_file: Annotated[
        str, typer.Option(help="A file with a private key, if bundles are sealed.")
    ] = "",
    yes: Yes = False,
    as_json: AsJson = False,
) -> None:
    """Restore a lost host's settings and all of its accounts in place, one after the other.

    No run begins on the host until the recovery ends. It may be stopped at any time; the same
    command continues with what is not back yet, and tries again what failed.
    """
    identity = output.read_file("--key-file", key_file) if key_file else ""
    with service({"identity": "--key-file"}) as client:
        found = _opened(client, host)
        waiting = _in_order([row for row in found.subjects if row.state not in SETTLED], first)
        if waiting and not as_json:
            _show(found)
            output.sure(f"Restore {count(len(waiting), 'subject')} on {host} in place now?", yes)
        for row in waiting:
            _bring_back(client, row, at, web_address, identity, as_json)
        found = client.recoveries_show(found.id)
        if all(row.state in SETTLED for row in found.subjects):
            found = client.recoveries_end(found.id)
    _conclude(found, as_json)


def _opened(client: Client, host: str) -> models.Recovery:
    for row in client.recoveries_list().items:
        if row.host == host and row.ended is None:
            return client.recoveries_show(row.id)
    return client.recoveries_start(models.RecoveryStart(host=host))


def _in_order(
    rows: list[models.RecoverySubject], first: list[str] | None
) -> list[models.RecoverySubject]:
    names = [name for text in first or [] for name in text.split(",")]
    for name in names:
        if name not in [row.name for row in rows]:
            raise output.wrong(
                f"“{name}” is not waiting in this recovery.",
                f"Waiting: {', '.join(row.name for row in rows)}.",
                "--first",
            )
    hosts = [row for row in rows if row.kind == SubjectKind.HOST]
    chosen = [row for name in names for row in rows if row.name == name and row not in hosts]
    return [*hosts, *chosen, *(row for row in rows if row not in hosts and row not in chosen)]


def _bring_back(
    client: Client,
    row: models.RecoverySubject,
    at: object,
    web_address: str,
    identity: str,
    as_json: bool,
) -> None:
    """Restore one subject; a failure costs only itself."""
    try:
        if row.state == RecoveryState.RUNNING and row.restore is not None:
            number = row.restore
        else:
            number = client.restores_start(_order(client, row, at, web_address, identity)).id
        done = follow_restore(client, number)
    except (FasciculusError, typer.Exit) as error:
        if not as_json:
            output.complain(f"{row.kind} {row.name}: {error}")
        return
    if not as_json:
        said = output.outcome(done.outcome, done.state).plain
        more = f": {done.error}" if done.error else ""
        output.say(f"{row.kind} {row.name}: {said}, restore {done.id}{more}")


def _order(
    client: Client, row: models.RecoverySubject, at: object, web_address: str, identity: str
) -> models.RestoreStart:
    bundle = row.bundle or 0
    if at is not None:
        bundle = chosen_bundle(client, row.name, at)  # type: ignore[arg-type]
    return models.RestoreStart(
        bundle=bundle,
        in_place=models.InPlace(),
        whole_account=row.kind != SubjectKind.SITE,
        web_address=web_address if row.kind != SubjectKind.SITE else "",
        identity=identity,
    )


@app.command("list")
def list_(as_json: AsJson = False) -> None:
    """List recoveries, newest first."""
    with service() as client:
        rows = client.recoveries_list().items
    if as_json:
        return output.show_json(rows)
    columns: list[output.Column] = [
        ("RECOVERY", lambda row: row.id),
        ("HOST", lambda row: row.host),
        ("STARTED", lambda row: moment(row.created)),
        ("BY", lambda row: row.started_by),
        ("ENDED", lambda row: moment(row.ended) if row.ended else "not yet"),
    ]
    empty = "No recovery yet. If a host is lost: fasciculus recoveries run HOST"
    output.show_table(rows, columns, empty, right=["RECOVERY"])
    return None


@app.command()
def show(number: Number, as_json: AsJson = False) -> None:
    """Show what of a lost host is back, and what is not."""
    with service() as client:
        found = client.recoveries_show(number)
    if as_json:
        return output.show_json(found)
    _show(found)
    return None


@app.command()
def end(number: Number, as_json: AsJson = False) -> None:
    """End a recovery: runs begin on its host again."""
    with service() as client:
        found = client.recoveries_end(number)
    output.done(found, f"The recovery of {found.host} has ended; runs begin on it again.", as_json)


def _show(found: models.Recovery) -> None:
    columns: list[output.Column] = [
        ("SUBJECT", lambda row: f"{row.kind} {row.name}"),
        ("STATE", lambda row: row.state.value),
        ("BUNDLE", lambda row: row.bundle or "none"),
        ("OF", lambda row: moment(row.moment)),
        ("CONTENTS", lambda row: ", ".join(row.contents)),
        ("RESTORE", lambda row: row.restore or ""),
        ("NOTE", _note),
    ]
    empty = f"{found.host} has no accounts."
    output.show_table(found.subjects, columns, empty, right=["BUNDLE", "RESTORE"])


def _note(row: models.RecoverySubject) -> str:
    notes = [row.error] if row.error else []
    if row.missing:
        notes.append(f"only other bundles have {', '.join(row.missing)}")
    return "; ".join(notes)


def _conclude(found: models.Recovery, as_json: bool) -> None:
    """Show the account of the recovery; exit with trouble unless everything is back."""
    back = [r for r in found.subjects if r.state in (RecoveryState.BACK, RecoveryState.WARNED)]
    lacking = [row for row in found.subjects if row not in back]
    if as_json:
        output.show_json(found)
    else:
        _show(found)
        said = f"Back: {len(back)} of {count(len(found.subjects), 'subject')} of {found.host}."
        if found.ended:
            output.say(f"{said} The recovery has ended; runs begin on {found.host} again.")
        else:
            output.say(
                f"{said} Try the others again with the same command, or end the recovery without "
                f"them: fasciculus recoveries end {found.id}"
            )
    if lacking:
        raise typer.Exit(output.TROUBLE)
