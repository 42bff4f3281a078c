"""One search over accounts, sites, jobs and bundles."""

from __future__ import annotations

from pydantic import BaseModel


class SearchHit(BaseModel):
    kind: str
    name: str
    about: str
    link: str
