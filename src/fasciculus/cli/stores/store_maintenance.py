"""``fasciculus stores verify``, ``repair``, ``repack``, ``copy``, ``move`` and the like."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Annotated

import typer

from ... import models
from ...core.outcome import OUTCOMES
from .. import output
from ..parameters import AsJson, StoreName, SubjectOption, Yes
from ..progress import follow_maintenance
from ..session import service

if TYPE_CHECKING:
    from ...client import Client

Background = Annotated[
    bool,
    typer.Option("--no-wait", help="Do not wait; see: fasciculus maintenance list."),
]
Quiet = Annotated[bool, typer.Option("--quiet", help="Print nothing on success.")]


def finish(
    client: Client, started: models.MaintenanceStarted, no_wait: bool, as_json: bool, quiet: bool
) -> None:
    """Wait for all started tasks, and end with the worst exit code."""
    if no_wait:
        said = f"Queued: {', '.join(map(str, started.ids))}."
        output.done(started, said, as_json)
        return
    ended = [follow_maintenance(client, number) for number in started.ids]
    # Damage is repaired immediately if possible: the result includes that.
    for work in list(ended):
        repairs = client.maintenance_list(
            kind="repair", store=work.store, subject=work.subject, limit=1
        ).items
        ended += [
            follow_maintenance(client, row.id)
            for row in repairs
            if row.started_by == f"maintenance {work.id}"
        ]
    if as_json:
        output.show_json(ended)
    else:
        for work in ended:
            if quiet and work.outcome == "done" and work.kind != "repair":
                continue
            output.out.print(
                f"{OUTCOMES[work.outcome or 'failed'].mark} {work.kind} {work.subject} on "
                f"{work.store}: "
                f"{work.sentence}",
                soft_wrap=True,
                highlight=False,
            )
    good = all(
        work.outcome == "done"
        for work in ended
        if work.kind != "verify" or not _repaired(work, ended)
    )
    raise typer.Exit(output.DONE if good else output.TROUBLE)


def _repaired(work: models.MaintenanceTask, ended: list[models.MaintenanceTask]) -> bool:
    return any(
        other.kind == "repair" and other.outcome == "done" and other.subject == work.subject
        for other in ended
    )


def verify(
    name: StoreName,
    deep: Annotated[bool, typer.Option("--deep", help="Read every byte and compare.")] = False,
    subject: SubjectOption = "",
    bundle: Annotated[
        int | None, typer.Option(help="Only this bundle's copy.", show_default=False)
    ] = None,
    no_wait: Background = False,
    quiet: Quiet = False,
    as_json: AsJson = False,
) -> None:
    """Verify the copies on a store, and repair damage from other stores."""
    with service() as client:
        finish(client, client.stores_verify(name, deep, subject, bundle), no_wait, as_json, quiet)


def repair(
    name: StoreName,
    subject: SubjectOption = "",
    no_wait: Background = False,
    quiet: Quiet = False,
    as_json: AsJson = False,
) -> None:
    """Replace damaged files by intact ones from other stores."""
    with service() as client:
        finish(client, client.stores_repair(name, subject), no_wait, as_json, quiet)


def repack(
    name: StoreName,
    subject: SubjectOption = "",
    over: Annotated[
        int,
        typer.Option(
            help="Rewrite pieces with more than N percent of unused data.",
            min=0,
            max=95,
        ),
    ] = 20,
    dry_run: Annotated[
        bool, typer.Option("--dry-run", help="Only measure what it would free.")
    ] = False,
    no_wait: Background = False,
    quiet: Quiet = False,
    as_json: AsJson = False,
) -> None:
    """Rewrite pieces without unused data. You can cancel it at any time."""
    with service() as client:
        finish(client, client.stores_repack(name, subject, over, dry_run), no_wait, as_json, quiet)


Source = Annotated[
    str, typer.Argument(help="The source store.", metavar="FROM", show_default=False)
]
Target = Annotated[str, typer.Argument(help="The target store.", metavar="TO", show_default=False)]


def catch_up(
    name: StoreName,
    subject: SubjectOption = "",
    no_wait: Background = False,
    quiet: Quiet = False,
    as_json: AsJson = False,
) -> None:
    """Copy missed bundles to a store from the other stores of its jobs."""
    with service() as client:
        started = client.stores_transfer(name, subject=subject)
        finish(client, started, no_wait, as_json, quiet)


def copy(
    source: Source,
    target: Target,
    subject: SubjectOption = "",
    no_wait: Background = False,
    quiet: Quiet = False,
    as_json: AsJson = False,
) -> None:
    """Copy all bundles that a store lacks from another store."""
    with service() as client:
        started = client.stores_transfer(target, source, subject)
        finish(client, started, no_wait, as_json, quiet)


def move(
    source: Source,
    target: Target,
    subject: SubjectOption = "",
    yes: Yes = False,
    no_wait: Background = False,
    quiet: Quiet = False,
    as_json: AsJson = False,
) -> None:
    """Move all bundles from one store to another."""
    with service() as client:
        client.stores_show(source)
        output.sure(
            f"Move all bundles from {source} to {target}? Each is removed from {source} once it is "
            f"whole on {target}.",
            yes,
        )
        started = client.stores_transfer(target, source, subject, move=True)
        finish(client, started, no_wait, as_json, quiet)


def seal(
    name: StoreName,
    subject: SubjectOption = "",
    no_wait: Background = False,
    quiet: Quiet = False,
    as_json: AsJson = False,
) -> None:
    """Seal the bundles on a store to its public keys, or to new ones. You can cancel it at any
    time.

    Bundles sealed earlier need one of their private keys: fasciculus keys keep.
    """
    with service() as client:
        finish(client, client.stores_seal(name, subject), no_wait, as_json, quiet)


def import_(
    name: StoreName, no_wait: Background = False, quiet: Quiet = False, as_json: AsJson = False
) -> None:
    """Add all bundles on a store to the records.

    Their hosts, accounts and jobs are proposed: fasciculus stores proposals.
    """
    with service() as client:
        finish(client, client.stores_import(name), no_wait, as_json, quiet)


def transfers(
    name: StoreName,
    day: Annotated[
        str, typer.Option(help="Only of this day of UTC, such as 2026-11-24.", metavar="DAY")
    ] = "",
    as_json: AsJson = False,
) -> None:
    """List transfers to a store from other stores."""
    with service() as client:
        rows = list(client.every(partial(client.stores_transfers, name), day=day))
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("AT", lambda t: output.moment(t.at)),
            ("FROM", lambda t: t.source),
            ("SUBJECT", lambda t: t.subject),
            ("BUNDLE", lambda t: t.bundle),
            ("SENT", lambda t: output.size(t.bytes)),
        ],
        f"Nothing was brought to store {name} from others.",
        right=["SENT"],
    )
    return None
