"""One search over accounts, sites, jobs and bundles."""

from __future__ import annotations

from .model import Model


class SearchHit(Model):
    kind: str
    name: str
    about: str
    link: str
