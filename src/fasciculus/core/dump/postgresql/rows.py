"""Rows of a table as members that ``COPY`` takes, cut where the rows themselves say so."""

from __future__ import annotations

from collections.abc import Iterator
from zlib import crc32

from ...errors import FasciculusError
from ..sql.member_sizes import MemberSizes
from ..sql.members import Member, safe_file
from .dialect import encoded
from .server import Server
from .statements import END_OF_ROWS
from .tables import Table


def row_members(
    server: Server, number: int, table: Table, head: bytes, chosen: str, sizes: MemberSizes
) -> Iterator[tuple[Member, int]]:
    """Yield members with the rows of a table, each with how many it holds.

    ``chosen`` is a condition on the rows, empty for all. Unchanged rows result in the
    same members again, whatever was added before or after them.
    """
    columns = ", ".join(table.row_columns)
    source = f"{table.name} ({columns})"
    if chosen or not columns:
        where = f" WHERE {chosen}" if chosen else ""
        source = f"(SELECT {columns} FROM ONLY {table.name}{where})"
    target = f"{table.name} ({columns})" if columns else table.name
    begin = head + encoded(f"COPY {target} FROM stdin;\n")
    least, usual, most = sizes
    part = size = 0
    rows: list[bytes] = []
    for row in server.copy_out(f"COPY {source} TO STDOUT"):
        rows.append(row)
        length = len(row)
        size += length
        if size >= most or (size >= least and crc32(row) * usual < length << 32):
            part += 1
            yield _member(number, table.called, part, begin, rows), len(rows)
            rows, size = [], 0
    if rows:
        yield _member(number, table.called, part + 1, begin, rows), len(rows)


def _member(number: int, table: str, part: int, begin: bytes, rows: list[bytes]) -> Member:
    name = f"{number:05d}-rows-{safe_file(table)}-{part:06d}.sql"
    return Member(name, b"".join([begin, *rows, END_OF_ROWS]))


def check_count(server: Server, table: Table, count: int, chosen: str) -> None:
    """Check the rows that were read against how many the same snapshot has."""
    where = f" WHERE {chosen}" if chosen else ""
    ((said,),) = server.rows(f"SELECT count(*) FROM ONLY {table.name}{where}")
    if int(said or 0) != count:
        raise FasciculusError(
            f"Of the {int(said or 0):,} rows of {table.called} the server gave {count:,}.",
            "Look for a setting that limits what queries return.",
        )
