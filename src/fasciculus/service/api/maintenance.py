"""Maintenance of copies, what is damaged, how bundles differ, how subjects grow."""

from __future__ import annotations

from collections.abc import Iterator

from ...core.bundle.diff import Difference, differences
from ...core.bundle.entry import to_text
from ...core.bundle.layout import KINDS
from ...core.bundle.listing import read_lines
from ...core.errors import SettingError
from ...models import (
    BundleChange,
    DamageRow,
    Growth,
    LogLine,
    MaintenanceStarted,
    MaintenanceTask,
    MendStart,
    Page,
    RepackStart,
    VerifyStart,
)
from ...records import (
    bundles,
    maintenance,
    runs,
    usage,
)
from ...records.paging import page_counted
from ..bundle_listings import listing_of
from ..context import context
from ..operations import (
    arg,
    operation,
    paging,
    visitor,
)
from .auth import note
from .runs import LOG_QUERY

_STATES = ("new", "changed", "gone")


@operation(
    "POST",
    "/stores/{name}/verify",
    "Look whether the copies on a store are whole",
    takes=VerifyStart,
    gives=MaintenanceStarted,
    status=202,
)
def stores_verify(name: str, body: VerifyStart) -> MaintenanceStarted:
    ids = context().caretaker.begin(
        "verify", name, visitor().name, body.subject, body.bundle, deep=body.deep
    )
    note("started verifying", f"store {name}" + (f", {body.subject}" if body.subject else ""))
    return MaintenanceStarted(ids=ids)


@operation(
    "POST",
    "/stores/{name}/mend",
    "Mend damaged files from intact copies on other stores",
    takes=MendStart,
    gives=MaintenanceStarted,
    status=202,
)
def stores_mend(name: str, body: MendStart) -> MaintenanceStarted:
    ids = context().caretaker.begin("mend", name, visitor().name, body.subject)
    note("started mending", f"store {name}" + (f", {body.subject}" if body.subject else ""))
    return MaintenanceStarted(ids=ids)


@operation(
    "POST",
    "/stores/{name}/repack",
    "Write pieces anew without their dead weight",
    takes=RepackStart,
    gives=MaintenanceStarted,
    status=202,
)
def stores_repack(name: str, body: RepackStart) -> MaintenanceStarted:
    ids = context().caretaker.begin(
        "repack", name, visitor().name, body.subject, over=body.over, dry_run=body.dry_run
    )
    if not body.dry_run:
        note("started repacking", f"store {name}" + (f", {body.subject}" if body.subject else ""))
    return MaintenanceStarted(ids=ids)


@operation(
    "GET",
    "/maintenance",
    "Maintenance, newest first",
    gives=Page[MaintenanceTask],
    paged=True,
    query={
        "kind": "verify, mend or repack",
        "store": "only on this store",
        "subject": "only of this subject",
        "state": "queued, running or ended",
    },
)
def maintenance_list() -> Page[MaintenanceTask]:
    page = maintenance.tasks(
        context().records.reader, paging(), arg("kind"), arg("store"), arg("subject"), arg("state")
    )
    page.items = [context().caretaker.enrich(row) for row in page.items]
    return page


@operation("GET", "/maintenance/{maintenance_id}", "One maintenance task", gives=MaintenanceTask)
def maintenance_show(maintenance_id: int) -> MaintenanceTask:
    return context().caretaker.enrich(maintenance.task(context().records.reader, maintenance_id))


@operation(
    "POST",
    "/maintenance/{maintenance_id}/cancel",
    "Cancel maintenance; every copy stays as whole as it was",
    gives=MaintenanceTask,
    status=202,
)
def maintenance_cancel(maintenance_id: int) -> MaintenanceTask:
    if maintenance_show(maintenance_id).state == "ended":
        raise SettingError(
            f"Maintenance {maintenance_id} has ended already.", "There is nothing to cancel."
        )
    context().caretaker.cancel(maintenance_id)
    note("cancelled maintenance", str(maintenance_id))
    return maintenance_show(maintenance_id)


@operation(
    "GET",
    "/maintenance/{maintenance_id}/log",
    "The log of maintenance",
    gives=Page[LogLine],
    paged=True,
    query=LOG_QUERY,
)
def maintenance_log(maintenance_id: int) -> Page[LogLine]:
    maintenance_show(maintenance_id)
    return runs.log_lines(
        context().records.reader, paging(), "maintenance_id", maintenance_id, arg("level"), arg("q")
    )


@operation(
    "GET",
    "/damage",
    "Files on stores that are missing or altered, and what they harm",
    gives=Page[DamageRow],
    paged=True,
    query={
        "store": "only on this store",
        "subject": "only of this subject",
        "kind": "account, site or host",
    },
)
def damage_list() -> Page[DamageRow]:
    return maintenance.damage(
        context().records.reader, paging(), arg("store"), arg("subject"), arg("kind")
    )


@operation(
    "GET",
    "/growth",
    "How a subject grows, and what it takes on each store",
    gives=Growth,
    query={
        "subject": "the account, site or host",
        "kind": "which of them, where the name is shared",
    },
)
def growth_show() -> Growth:
    if not arg("subject"):
        raise SettingError(
            "Whose growth is not said.", "Name an account, site or host.", field="subject"
        )
    return usage.growth(context().records.reader, arg("subject"), arg("kind"))


@operation(
    "GET",
    "/bundles/{bundle_id}/changes",
    "What is new, changed and gone in a bundle",
    gives=Page[BundleChange],
    paged=True,
    query={
        "against": "another bundle of the subject; the one before when left out",
        "state": "only new, changed or gone",
        "contents": "only this kind",
        "q": "words in the path",
    },
)
def bundles_changes(bundle_id: int) -> Page[BundleChange]:
    db = context().records.reader
    bundle = bundles.bundle(db, bundle_id)
    if arg("against") and not arg("against").isdigit():
        raise SettingError(
            f"“{arg('against')}” is not a bundle's number.",
            "Take it from the list.",
            field="against",
        )
    against = int(arg("against")) if arg("against") else bundles.before(db, bundle)
    if against is None:
        raise SettingError(
            f"There is no bundle of {bundle.subject} before {bundle.name}.",
            "Name another one to compare with.",
            field="against",
        )
    other = bundles.bundle(db, against)
    if (other.subject_kind, other.subject) != (bundle.subject_kind, bundle.subject):
        raise SettingError(
            f"Bundle {against} is of {other.subject}, not of {bundle.subject}.",
            "Compare two bundles of one subject.",
            field="against",
        )
    with listing_of(other).open("rb") as old, listing_of(bundle).open("rb") as new:
        rows = _wanted(differences(read_lines(old), read_lines(new)))
        return page_counted(rows, paging(), _change)


def _wanted(rows: Iterator[Difference]) -> Iterator[Difference]:
    state, kind, words = arg("state"), arg("contents"), arg("q").lower().encode().split()
    if state and state not in _STATES:
        raise SettingError(
            f"“{state}” is no state.", f"Choose one of {', '.join(_STATES)}.", field="state"
        )
    if kind and kind not in KINDS:
        raise SettingError(
            f"“{kind}” is no kind of contents.",
            f"Choose one of {', '.join(KINDS)}.",
            field="contents",
        )
    for row in rows:
        if (
            (not state or row.state == state)
            and (not kind or row.kind == kind)
            and all(word in row.path.lower() for word in words)
        ):
            yield row


def _change(row: Difference) -> BundleChange:
    return BundleChange(
        kind=row.kind,
        path=to_text(row.path),
        type=row.type,
        state=row.state,  # type: ignore[arg-type]
        what=row.what,
        bytes=row.size,
        before=row.before,
    )
