"""Large objects: data that tables refer to by numbers."""

from __future__ import annotations

from collections.abc import Iterator

from ...errors import StatementError
from ..sql.members import Member
from .dialect import encoded
from .server import Server

_CHUNK = 512 * 1024
_MOST = 1024 * 1024


def large_objects(server: Server, head: bytes, notes: list[str]) -> Iterator[Member]:
    """Yield members that create the large objects under their numbers."""
    part, size = 0, 0
    pieces: list[bytes] = []
    for statement in _statements(server, notes):
        pieces.append(encoded(statement) + b";\n")
        size += len(pieces[-1])
        if size >= _MOST:
            part += 1
            yield Member(f"89000-large-objects-{part:06d}.sql", head + b"".join(pieces))
            pieces, size = [], 0
    if pieces:
        yield Member(f"89000-large-objects-{part + 1:06d}.sql", head + b"".join(pieces))


def _statements(server: Server, notes: list[str]) -> Iterator[str]:
    for (number,) in server.rows("SELECT oid FROM pg_largeobject_metadata ORDER BY oid"):
        server.rows("SAVEPOINT large_object")
        try:
            yield from _one(server, str(number))
        except StatementError as error:
            server.rows("ROLLBACK TO SAVEPOINT large_object")
            notes.append(f"large object {number} could not be read: {error.sentence()}")


def _one(server: Server, number: str) -> Iterator[str]:
    at = 0
    while True:
        ((data,),) = server.rows(f"SELECT pg_catalog.lo_get({number}, {at}, {_CHUNK})")
        if at == 0:
            yield f"SELECT pg_catalog.lo_create({number})"
        if not data or data == "\\x":
            return
        yield f"SELECT pg_catalog.lo_put({number}, {at}, '{data}')"
        at += (len(data) - 2) // 2
