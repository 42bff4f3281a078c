"""Finding accounts, previews, coverage."""

from __future__ import annotations

from ....core.coverage import CoverageResult
from ....core.discovery.accounts import Proposal
from ....core.errors import SettingError
from ....models import (
    Acceptance,
    Accepted,
    CoverageRow,
    Page,
    Preview,
    PreviewStart,
    Proposed,
    Unmatched,
)
from ....models.queries import CoverageQuery
from ....records import inventory
from ....records.paging import page_of, page_request
from ... import discovery
from ...coverage import covered
from ...tasks.orders.preview import preview_order
from ..caller import Caller

_STATES = ("bare", "never", "late", "protected")


def hosts_find(caller: Caller, name: str) -> Page[Proposed]:
    """Return accounts on a host that are new, changed or gone."""
    rows = [
        Proposed.model_construct(
            kind=row.kind,
            account=discovery.as_account(row.account, name),
            changes=list(row.changes),
        )
        for row in _proposals(caller, name)
    ]
    return Page(items=rows, total=len(rows))


def hosts_unmatched(caller: Caller, name: str) -> Unmatched:
    """Return findings of the last discovery on a host that belong to no account."""
    db = caller.reader
    inventory.host(db, caller.cipher, name)
    found = inventory.unmatched(db, name)
    return Unmatched(
        databases=[f"{database} ({engine})" for engine, database in found.databases],
        names=[f"{server} ({root})" for server, root in found.names],
    )


def _proposals(caller: Caller, name: str) -> list[Proposal]:
    return discovery.proposals(caller.config, caller.records, caller.cipher, name)


def hosts_accept(caller: Caller, name: str, body: Acceptance) -> Accepted:
    """Accept accounts that were found."""
    found = _proposals(caller, name)
    if not body.all:
        known = {row.account.name for row in found}
        if strange := sorted(set(body.accounts) - known):
            raise SettingError(
                f"Nothing is proposed of “{strange[0]}”.",
                f"Proposed: {', '.join(sorted(known)[:12]) or 'nothing'}.",
                field="accounts",
            )
        found = [row for row in found if row.account.name in body.accounts]
    count = discovery.accept(caller.records, name, found)
    caller.note("took over accounts", f"{count} of host {name}")
    caller.changed("accounts")
    return Accepted(count=count)


def previews_start(caller: Caller, body: PreviewStart) -> int:
    """Measure what a job would take of a subject."""
    sources = caller.order_inputs()
    kind = body.job.subject_kind
    if kind == "host":
        raise SettingError(
            "Files are of accounts and sites.", "Preview a job of one of these.", field="subject"
        )
    return caller.service.previews.start(
        lambda number: preview_order(sources, body.job, kind, body.subject, number)
    )


def previews_show(caller: Caller, preview_id: int) -> Preview:
    """Return one preview."""
    return caller.service.previews.show(preview_id)


def previews_cancel(caller: Caller, preview_id: int) -> Preview:
    """Cancel a preview."""
    return caller.service.previews.cancel(preview_id)


def coverage_list(caller: Caller, query: CoverageQuery) -> Page[CoverageRow]:
    """Return protection of each site, database and mail domain."""
    state, words = query.state, query.q.lower()
    rows = [
        row
        for row in covered(caller.records, query.host, query.account)
        if caller.scope.has_account(row.thing.account)
        and (not state or row.state == state or (state == "trouble" and row.state != "protected"))
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
