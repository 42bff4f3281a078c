"""Finding accounts, previews, coverage."""

from __future__ import annotations

from ...core.coverage import CoverageResult
from ...core.discovery.accounts import Proposal
from ...core.errors import SettingError
from ...core.permissions import Permission
from ...models import (
    Acceptance,
    Accepted,
    CoverageRow,
    Page,
    Preview,
    PreviewStart,
    Proposed,
    Started,
    Unmatched,
)
from ...models.queries import CoverageQuery
from ...records import inventory
from ...records.paging import page_of
from .. import discovery
from ..context import context, order_inputs
from ..coverage import covered
from ..operations import PREFIX, operation, page_request
from ..tasks.orders.preview import preview_order
from .auth import note

_STATES = ("bare", "never", "late", "protected")


@operation(
    "GET",
    "/hosts/{name}/discovery",
    "Accounts on a host that are new, changed or gone",
    Permission.CONFIGURE,
    response=Page[Proposed],
    former=("/hosts/{name}/finding",),
)
def hosts_find(name: str) -> Page[Proposed]:
    rows = [
        Proposed.model_construct(
            kind=row.kind,
            account=discovery.as_account(row.account, name),
            changes=list(row.changes),
        )
        for row in _proposals(name)
    ]
    return Page(items=rows, total=len(rows))


@operation(
    "GET",
    "/hosts/{name}/unmatched",
    "Findings of the last discovery on a host that belong to no account",
    Permission.CONFIGURE,
    response=Unmatched,
)
def hosts_unmatched(name: str) -> Unmatched:
    db = context().records.reader
    inventory.host(db, context().cipher, name)
    found = inventory.unmatched(db, name)
    return Unmatched(
        databases=[f"{database} ({engine})" for engine, database in found.databases],
        names=[f"{server} ({root})" for server, root in found.names],
    )


def _proposals(name: str) -> list[Proposal]:
    return discovery.proposals(context().config, context().records, context().cipher, name)


@operation(
    "POST",
    "/hosts/{name}/discovery",
    "Accept accounts that were found",
    Permission.CONFIGURE,
    body=Acceptance,
    response=Accepted,
    former=("/hosts/{name}/finding",),
)
def hosts_accept(name: str, body: Acceptance) -> Accepted:
    found = _proposals(name)
    if not body.all:
        known = {row.account.name for row in found}
        if strange := sorted(set(body.accounts) - known):
            raise SettingError(
                f"Nothing is proposed of “{strange[0]}”.",
                f"Proposed: {', '.join(sorted(known)[:12]) or 'nothing'}.",
                field="accounts",
            )
        found = [row for row in found if row.account.name in body.accounts]
    count = discovery.accept(context().records, name, found)
    note("took over accounts", f"{count} of host {name}")
    context().events.changed("accounts")
    return Accepted(count=count)


@operation(
    "POST",
    "/previews",
    "Measure what a job would take of a subject",
    Permission.CONFIGURE,
    body=PreviewStart,
    response=Started,
    status=202,
)
def previews_start(body: PreviewStart) -> Started:
    sources = order_inputs()
    kind = body.job.subjects[:-1]
    if kind == "host":
        raise SettingError(
            "Files are of accounts and sites.", "Preview a job of one of these.", field="subject"
        )
    number = context().previews.start(
        lambda number: preview_order(sources, body.job, kind, body.subject, number)
    )
    return Started(id=number, url=f"{PREFIX}/previews/{number}")


@operation("GET", "/previews/{preview_id}", "One preview", Permission.CONFIGURE, response=Preview)
def previews_show(preview_id: int) -> Preview:
    return context().previews.show(preview_id)


@operation(
    "POST",
    "/previews/{preview_id}/cancel",
    "Cancel a preview",
    Permission.CONFIGURE,
    response=Preview,
    status=202,
)
def previews_cancel(preview_id: int) -> Preview:
    return context().previews.cancel(preview_id)


@operation(
    "GET",
    "/coverage",
    "Protection of each site, database and mail domain",
    Permission.VIEW,
    response=Page[CoverageRow],
    query=CoverageQuery,
)
def coverage_list(query: CoverageQuery) -> Page[CoverageRow]:
    state, words = query.state, query.q.lower()
    rows = [
        row
        for row in covered(context().records, query.host, query.account)
        if (not state or row.state == state or (state == "trouble" and row.state != "protected"))
        and words in f"{row.thing.name} {row.thing.account}".lower()
    ]
    found = page_of(
        rows,
        page_request(query),
        {
            "name": lambda row: row.thing.name,
            "account": lambda row: (row.thing.account, row.thing.name),
            "state": lambda row: (_STATES.index(row.state), row.thing.account, row.thing.name),
            "newest": lambda row: (row.newest or "", row.thing.name),
        },
        "state",
    )
    return Page(items=[_row(row) for row in found.items], total=found.total, next=found.next)


def _row(row: CoverageResult) -> CoverageRow:
    thing = row.thing
    return CoverageRow.model_construct(
        kind=thing.kind,
        name=thing.name,
        account=thing.account,
        host=thing.host,
        state=row.state,
        jobs=row.jobs,
        newest=row.newest,
    )
