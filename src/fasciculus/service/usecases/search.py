"""One search over everything that has a name."""

from __future__ import annotations

from urllib.parse import quote

from ...models import Page, SearchHit
from ...models.queries import SearchQuery
from ...records import search as records
from .caller import Caller

#: Where the console shows what was found.
_LINKS = {
    "account": "/accounts/{name}",
    "site": "/accounts/{about}",
    "job": "/jobs/{name}",
    "store": "/stores/{name}",
    "bundle": "/bundles/{id}",
}


def search(caller: Caller, query: SearchQuery) -> Page[SearchHit]:
    """Return accounts, sites, jobs, stores and bundles by name."""
    found = records.matches(caller.reader, caller.scope, query.q)
    hits = [
        SearchHit(
            kind=match.kind,
            name=match.name,
            about=match.about,
            link=_LINKS[match.kind].format(
                name=quote(match.name), about=quote(match.about), id=match.id
            ),
        )
        for match in found
    ]
    return Page(items=hits, total=len(hits))
