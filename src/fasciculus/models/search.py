"""One search over accounts, sites, jobs and bundles."""

from __future__ import annotations

from .model import Model


class SearchHit(Model):
    """Something that a search has found, and its page in the console."""

    kind: str
    name: str
    about: str
    link: str
