"""The result of rewriting the texts of a database."""

from __future__ import annotations

from msgspec import Struct


class RewrittenColumn(Struct, frozen=True):
    """A column in which texts were exchanged: the rows that changed, and those that were left as
    they are because the lengths of their serialised values could not be corrected.
    """

    database: str
    table: str
    column: str
    rows: int
    skipped: int
