"""One search over everything that has a name."""

from __future__ import annotations

from ....core.permissions import Permission
from ....models import Page, SearchHit
from ....models.queries import SearchQuery
from ...usecases import search as usecase
from ..operations import operation
from ..request import caller


@operation(
    "GET",
    "/search",
    "Accounts, sites, jobs, stores and bundles by name",
    Permission.VIEW,
    response=Page[SearchHit],
    query=SearchQuery,
    scoped=True,
)
def search(query: SearchQuery) -> Page[SearchHit]:
    return usecase.search(caller(), query)
