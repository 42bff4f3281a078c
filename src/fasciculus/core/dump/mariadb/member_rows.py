"""Rows of a table into members, cut where the rows' own values say so."""

from __future__ import annotations

from zlib import crc32

from ..sql.member_sizes import MemberSizes
from .dialect import HEAD

#: Bytes of the rows in one statement.
STATEMENT_SIZE = 1024 * 1024


class MemberRows:
    """The member that rows are added to.

    Members are cut by the values of rows, so that unchanged parts of a table result in the same
    members. ``insert`` begins a statement.
    """

    def __init__(self, insert: bytes, sizes: MemberSizes) -> None:
        self.head, self.again, self.sizes = HEAD + insert, b";\n" + insert, sizes
        self.rows = 0
        #: Bytes of rows in the present member, and in its last statement.
        self.member_bytes = self.statement_bytes = 0
        self._parts: list[bytes] = []

    def add(self, row: bytes) -> bytes | None:
        """Add a row; return the member, if it ends with this one."""
        before = b",\n"
        if not self.member_bytes:
            before, self.statement_bytes = self.head, 0
        elif self.statement_bytes + len(row) > STATEMENT_SIZE:
            before, self.statement_bytes = self.again, 0
        self._parts += (before, row)
        self.rows += 1
        self.member_bytes += len(row)
        self.statement_bytes += len(row)
        least, usual, most = self.sizes
        if self.member_bytes >= most or (
            self.member_bytes >= least and crc32(row) * usual < len(row) << 32
        ):
            return self.rest()
        return None

    def extend(self, text: bytes) -> None:
        """Add rows that are written out, with what is between them."""
        self._parts.append(text)

    def rest(self) -> bytes:
        """Return the member as far as it goes, and begin the next one; empty if it has no row."""
        member = b"".join([*self._parts, b";\n"]) if self.member_bytes else b""
        self.member_bytes = self.statement_bytes = 0
        self._parts = []
        return member
