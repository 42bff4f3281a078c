"""The result of a drill: what came back into the scratch place, and was compared."""

from __future__ import annotations

from msgspec import Struct

from ..formatting import format_count, format_size


class DrillFigures(Struct):
    """Counts of a drill: files compared by digest and their bytes, databases that were loaded into
    a server, with their tables and rows. ``page`` is the HTTP status of a copy's page (RFC 9110), 0
    if none was requested.
    """

    files: int = 0
    bytes: int = 0
    databases: int = 0
    tables: int = 0
    rows: int = 0
    page: int = 0

    @property
    def words(self) -> str:
        """Return them in one line."""
        found = f"{format_count(self.files, 'file')} compared, {format_size(self.bytes)}"
        if self.databases:
            found += (
                f"; {format_count(self.databases, 'database')} loaded, "
                f"{format_count(self.tables, 'table')}, {format_count(self.rows, 'row')}"
            )
        return f"{found}; page answered {self.page}" if self.page else found
