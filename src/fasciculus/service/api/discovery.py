"""Finding accounts, previews, coverage."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from functools import lru_cache

from ...core import schedule
from ...core.coverage import (
    CoverageResult,
    CoveringJob,
    cover,
    promise_of,
)
from ...core.discovery.accounts import Proposal
from ...core.errors import SettingError
from ...models import (
    CoverageRow,
    JobInput,
    Page,
    Preview,
    PreviewStart,
    Proposed,
    Started,
    TakenOver,
    TakeOver,
    Unmatched,
)
from ...models.queries import CoverageQuery
from ...records import bundles, inventory, jobs
from ...records.paging import page_of
from .. import discovery
from ..context import context, order_sources
from ..operations import PREFIX, operation, page_request
from ..tasks.orders.preview import preview_order
from .auth import note

_STARTS = 9
_STATES = ("bare", "never", "late", "protected")


@operation(
    "GET",
    "/hosts/{name}/finding",
    "Accounts on a host that are new, changed or gone",
    response=Page[Proposed],
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
    "What the last finding on a host could give to no account",
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
    "POST", "/hosts/{name}/finding", "Take over what was found", body=TakeOver, response=TakenOver
)
def hosts_take_over(name: str, body: TakeOver) -> TakenOver:
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
    count = discovery.take_over(context().records, name, found)
    note("took over accounts", f"{count} of host {name}")
    context().events.changed("accounts")
    return TakenOver(count=count)


@operation(
    "POST",
    "/previews",
    "Measure what a job would take of a subject",
    body=PreviewStart,
    response=Started,
    status=202,
)
def previews_start(body: PreviewStart) -> Started:
    sources = order_sources()
    kind = body.job.subjects[:-1]
    if kind == "host":
        raise SettingError(
            "Files are of accounts and sites.", "Preview a job of one of these.", field="subject"
        )
    number = context().previews.start(
        lambda number: preview_order(sources, body.job, kind, body.subject, number)
    )
    return Started(id=number, url=f"{PREFIX}/previews/{number}")


@operation("GET", "/previews/{preview_id}", "One preview", response=Preview)
def previews_show(preview_id: int) -> Preview:
    return context().previews.show(preview_id)


@operation(
    "POST", "/previews/{preview_id}/cancel", "Cancel a preview", response=Preview, status=202
)
def previews_cancel(preview_id: int) -> Preview:
    return context().previews.cancel(preview_id)


@operation(
    "GET",
    "/coverage",
    "How each site, database and mail domain is protected",
    response=Page[CoverageRow],
    query=CoverageQuery,
)
def coverage_list(query: CoverageQuery) -> Page[CoverageRow]:
    state, words = query.state, query.q.lower()
    rows = [
        row
        for row in covered(query.host, query.account)
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


def covered(host: str = "", account: str = "") -> list[CoverageResult]:
    """Everything that wants protection, with how it is protected."""
    # Overview and coverage are asked for by everybody who looks: computed once a change, or a
    # minute.
    moment = datetime.now(UTC)
    key = (id(context()), context().records.version, moment.replace(second=0, microsecond=0))
    if key not in _computed:
        found = _computed_now(moment)
        _computed.clear()
        _computed[key] = found
    else:
        found = _computed[key]
    return [
        row
        for row in found
        if (not host or row.thing.host == host) and (not account or row.thing.account == account)
    ]


_computed: dict[tuple[int, int, datetime], list[CoverageResult]] = {}


def _computed_now(moment: datetime) -> list[CoverageResult]:
    db = context().records.reader
    known = {kind: jobs.known_subjects(db, kind) for kind in ("accounts", "sites", "hosts")}
    protectors = [
        _protector(job, known[job.subjects], moment) for job in jobs.jobs(db) if job.enabled
    ]
    return cover(inventory.things(db), protectors, bundles.newest_by_job(db), moment)


@lru_cache(maxsize=1024)
def _usual_promise(text: str, zone: str, day: datetime) -> timedelta | None:
    return promise_of(schedule.next_starts(schedule.parse(text), schedule.zone(zone), day, _STARTS))


def _protector(job: JobInput, known: list[str], moment: datetime) -> CoveringJob:
    promise = (
        timedelta(hours=job.promise)
        if job.promise
        else _usual_promise(
            job.timetable, job.zone, moment.replace(hour=0, minute=0, second=0, microsecond=0)
        )
    )
    covers = frozenset(
        name
        for name in known
        if job.choice == "all" or (name in job.names) == (job.choice == "listed")
    )
    return CoveringJob(
        job.name, job.subjects, covers, frozenset(job.contents), job.databases.as_core(), promise
    )
