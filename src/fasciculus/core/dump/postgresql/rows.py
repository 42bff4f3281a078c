"""Rows of a table as members that ``COPY`` takes, cut where the rows themselves say so."""

from __future__ import annotations

from collections.abc import Generator, Iterable, Iterator
from zlib import crc32

from ...errors import FasciculusError
from ..sql.member_sizes import MemberSizes
from ..sql.members import Member, safe_file
from .dialect import encoded
from .server import Lines, Server
from .snapshot import LARGE, Readers
from .statements import END_OF_ROWS
from .tables import Table

#: Bytes of pages that are read by one statement of several.
_PART = 8 * 1024 * 1024
#: The first version that reads a range of pages without reading the others.
_RANGES = 140000


def lines_of(
    server: Server, readers: Readers, table: Table, chosen: str
) -> Generator[Lines, None, None]:
    """Yield the lines of a table in the order of its pages, large ones by several connections.

    ``chosen`` is a condition on the rows, empty for all.
    """
    columns = ", ".join(table.row_columns)
    if chosen or not columns:
        where = f" WHERE {chosen}" if chosen else ""
        source = f"(SELECT {columns} FROM ONLY {table.name}{where})"
    elif len(readers) > 1 and (parts := _parts(server, table)):
        select = f"SELECT {columns} FROM ONLY {table.name}"
        yield from readers.lines([f"COPY ({select} WHERE {part}) TO STDOUT" for part in parts])
        return
    else:
        source = f"{table.name} ({columns})"
    yield from server.copy_out(f"COPY {source} TO STDOUT")


def _parts(server: Server, table: Table) -> list[str]:
    """Return conditions that divide a large table by its pages; none if it is read at once."""
    if table.access_method or server.version < _RANGES:
        return []
    ((size, page),) = server.rows(
        "SELECT pg_catalog.pg_relation_size(%s::pg_catalog.regclass), "
        "pg_catalog.current_setting('block_size')",
        table.name,
    )
    if int(size or 0) < LARGE:
        return []
    pages, step = int(size or 0) // int(page or 8192), _PART // int(page or 8192)
    starts = [f"ctid >= '({at},0)'" for at in range(step, pages, step)]
    ends = [f"ctid < '({at},0)'" for at in range(step, pages, step)]
    middle = [f"{start} AND {end}" for start, end in zip(starts, ends[1:], strict=False)]
    return [ends[0], *middle, starts[-1]]


def row_members(
    lines: Iterable[Lines], number: int, table: Table, head: bytes, sizes: MemberSizes
) -> Iterator[tuple[Member, int]]:
    """Yield members with the rows of a table, each with how many it holds.

    Unchanged rows result in the same members again, whatever was added before or after them.
    """
    columns = ", ".join(table.row_columns)
    target = f"{table.name} ({columns})" if columns else table.name
    begin = head + encoded(f"COPY {target} FROM stdin;\n")
    least, usual, most = sizes
    part = size = 0
    rows: list[bytes | memoryview] = []
    for some in lines:
        for row in some:
            rows.append(row)
            length = len(row)
            size += length
            if size >= most or (size >= least and crc32(row) * usual < length << 32):
                part += 1
                yield _member(number, table.called, part, begin, rows), len(rows)
                rows, size = [], 0
    if rows:
        yield _member(number, table.called, part + 1, begin, rows), len(rows)


def _member(number: int, table: str, part: int, begin: bytes, rows: Lines) -> Member:
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
