"""Finding accounts, previews, coverage."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import (
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
from .....models.queries import CoverageQuery
from ....usecases.inventory import discovery
from ...operations import PREFIX, operation
from ...request import caller


@operation(
    "GET",
    "/hosts/{name}/discovery",
    "Accounts on a host that are new, changed or gone",
    Permission.CONFIGURE,
    response=Page[Proposed],
    former=("/hosts/{name}/finding",),
)
def hosts_find(name: str) -> Page[Proposed]:
    return discovery.hosts_find(caller(), name)


@operation(
    "GET",
    "/hosts/{name}/unmatched",
    "Findings of the last discovery on a host that belong to no account",
    Permission.CONFIGURE,
    response=Unmatched,
)
def hosts_unmatched(name: str) -> Unmatched:
    return discovery.hosts_unmatched(caller(), name)


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
    return discovery.hosts_accept(caller(), name, body)


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
    number = discovery.previews_start(caller(), body)
    return Started(id=number, url=f"{PREFIX}/previews/{number}")


@operation("GET", "/previews/{preview_id}", "One preview", Permission.CONFIGURE, response=Preview)
def previews_show(preview_id: int) -> Preview:
    return discovery.previews_show(caller(), preview_id)


@operation(
    "POST",
    "/previews/{preview_id}/cancel",
    "Cancel a preview",
    Permission.CONFIGURE,
    response=Preview,
    status=202,
)
def previews_cancel(preview_id: int) -> Preview:
    return discovery.previews_cancel(caller(), preview_id)


@operation(
    "GET",
    "/coverage",
    "Protection of each site, database and mail domain",
    Permission.VIEW,
    response=Page[CoverageRow],
    query=CoverageQuery,
    scoped=True,
)
def coverage_list(query: CoverageQuery) -> Page[CoverageRow]:
    return discovery.coverage_list(caller(), query)
