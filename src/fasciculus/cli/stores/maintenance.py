"""``fasciculus maintenance``, ``damage`` and ``growth`` commands."""

from __future__ import annotations

from itertools import islice
from typing import Annotated

import typer

from ... import models
from .. import output
from ..output import moment, size
from ..parameters import AsJson, SubjectOption
from ..runs import show_log
from ..session import service

app = typer.Typer(help="Maintenance of copies.", no_args_is_help=True)
damage_app = typer.Typer(help="Missing or altered files on stores.", no_args_is_help=True)
growth_app = typer.Typer(help="Growth of accounts and sites.", no_args_is_help=True)

Store = Annotated[str, typer.Argument(help="The store's name.", show_default=False)]
Number = Annotated[int, typer.Argument(help="The number of the maintenance.", show_default=False)]


@app.command("list")
def list_(
    store: Annotated[str, typer.Option(help="Only on this store.")] = "",
    subject: SubjectOption = "",
    kind: Annotated[str, typer.Option(help="verify, repair or repack.")] = "",
    count: Annotated[int, typer.Option(help="Maximum number of rows.", min=1)] = 20,
    as_json: AsJson = False,
) -> None:
    """List maintenance, newest first."""
    with service() as client:
        rows = list(
            islice(
                client.every(client.maintenance_list, store=store, subject=subject, kind=kind),
                count,
            )
        )
    if as_json:
        return output.show_json(rows)
    output.show_table(
        rows,
        [
            ("UPKEEP", lambda u: u.id),
            ("KIND", lambda u: _kind(u)),
            ("STORE", lambda u: u.store),
            ("SUBJECT", lambda u: u.subject),
            ("OUTCOME", lambda u: output.outcome(u.outcome, u.state)),
            ("STARTED", lambda u: moment(u.started or u.created)),
            ("RESULT", lambda u: u.sentence),
        ],
        "No maintenance yet. Verify a store: fasciculus stores verify STORE",
        right=["UPKEEP"],
    )
    return None


def _kind(work: models.MaintenanceTask) -> str:
    return f"{work.kind}{' deep' if work.deep else ''}{' dry run' if work.dry_run else ''}"


@app.command()
def show(number: Number, as_json: AsJson = False) -> None:
    """Show one maintenance task."""
    with service() as client:
        work = client.maintenance_show(number)
    if as_json:
        return output.show_json(work)
    output.show_fields(
        [
            ("maintenance", f"{work.id}: {_kind(work)}"),
            ("store", work.store),
            ("of", f"{work.subject_kind} {work.subject}"),
            ("outcome", output.outcome(work.outcome, work.state)),
            ("started", f"{moment(work.started or work.created)} by {work.started_by}"),
            (
                "so far" if work.state == "running" else "result",
                work.sentence or f"{work.stage}: {size(work.bytes)} of {size(work.total)}",
            ),
        ]
    )
    return None


@app.command()
def cancel(number: Number, as_json: AsJson = False) -> None:
    """Cancel a maintenance task; every copy stays intact."""
    with service() as client:
        client.maintenance_cancel(number)
    output.done({"cancelled": number}, f"Maintenance {number} is being cancelled.", as_json)


@app.command()
def log(number: Number, as_json: AsJson = False) -> None:
    """Print the log of a maintenance task."""
    with service() as client:
        rows = list(client.every(client.maintenance_log, maintenance_id=number, limit=500))
    if as_json:
        return output.show_json(rows)
    show_log(rows)
    return None


@damage_app.command("list")
def damage_list(
    store: Annotated[str, typer.Option(help="Only on this store.")] = "",
    subject: SubjectOption = "",
    names: Annotated[
        int, typer.Option(help="Maximum number of harmed entries per file.", min=0)
    ] = 20,
    as_json: AsJson = False,
) -> None:
    """List damaged files on stores, with the affected bundles and entries."""
    with service() as client:
        rows = list(client.every(client.damage_list, store=store, subject=subject, limit=500))
    if as_json:
        return output.show_json(rows)
    if not rows:
        output.out.print("No known damage.")
    for row in rows:
        output.out.print(
            f"■ {row.store}: {row.file} of {row.subject}: {row.reason}, found {moment(row.found)}",
            style="red",
            soft_wrap=True,
            highlight=False,
        )
        output.out.print(
            f"  affected bundles {', '.join(row.bundles)}", soft_wrap=True, highlight=False
        )
        for name in row.files[:names]:
            output.out.print(f"    {name}", soft_wrap=True, highlight=False, markup=False)
        if row.harmed > names:
            output.out.print(
                f"    … and {row.harmed - min(names, len(row.files)):,} more", highlight=False
            )
        output.out.print(f"  {_way_out(row)}", soft_wrap=True, highlight=False)
    return None


def _way_out(row: models.DamageRow) -> str:
    if row.repair_from:
        sources = " or ".join(row.repair_from)
        return f"can be repaired from {sources}: fasciculus stores repair {row.store}"
    if row.stored_again:
        return f"no other store holds it; {row.stored_again} stored its contents again"
    return "no other store has it; the next run stores its contents again"


@growth_app.command("show")
def growth_show(
    subject: Annotated[str, typer.Argument(help="Account, site or host.", show_default=False)],
    kind: Annotated[
        str, typer.Option(help="account, site or host, if the name is ambiguous.")
    ] = "",
    count: Annotated[int, typer.Option(help="Maximum number of bundles.", min=1)] = 30,
    as_json: AsJson = False,
) -> None:
    """Show the growth of a subject, bundle by bundle, and its space on each store."""
    with service() as client:
        found = client.growth_show(subject, kind)
    if as_json:
        return output.show_json(found)
    output.show_table(
        found.points[-count:],
        [
            ("BUNDLE", lambda p: p.bundle),
            ("MOMENT", lambda p: moment(p.moment)),
            ("JOB", lambda p: p.job),
            ("ENTRIES", lambda p: f"{p.entries:,}"),
            ("SIZE", lambda p: size(p.bytes)),
            ("NEW DATA", lambda p: size(p.new_bytes)),
            ("STORED", lambda p: size(p.packed)),
            ("SAVED", _saved),
        ],
        "No bundles yet.",
        right=["BUNDLE", "ENTRIES", "SIZE", "NEW DATA", "STORED", "SAVED"],
    )
    output.out.print()
    output.show_table(
        found.stores,
        [
            ("STORE", lambda s: s.store),
            ("COPIES", lambda s: s.copies),
            ("STORED", lambda s: size(s.stored)),
            ("UNUSED", lambda s: f"at most {s.unused / s.holds:.0%}" if s.holds else "–"),
        ],
        "No copies.",
        right=["COPIES", "STORED", "UNUSED"],
    )
    if found.per_week is not None:
        sign = "+" if found.per_week >= 0 else "−"
        output.out.print(
            f"\nIt changes by {sign}{size(abs(found.per_week))} a week.", highlight=False
        )
    return None


def _saved(point: models.GrowthPoint) -> str:
    """Return the share that needed no storage: contents stored earlier, and compression."""
    return f"{1 - point.packed / point.bytes:.0%}" if point.bytes else "–"
