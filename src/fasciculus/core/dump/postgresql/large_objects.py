"""Large objects: data that tables refer to by numbers."""

from __future__ import annotations

from collections.abc import Iterator

from ..sql.members import Member
from .dialect import encoded
from .server import Server

_CHUNK = 512 * 1024
_MOST = 1024 * 1024


def large_objects(server: Server, head: bytes) -> Iterator[Member]:
    """Yield members that create the large objects under their numbers."""
    part, size = 0, 0
    pieces: list[bytes] = []
    for statement in _statements(server):
        pieces.append(encoded(statement) + b";\n")
        size += len(pieces[-1])
        if size >= _MOST:
            part += 1
            yield Member(f"89000-large-objects-{part:06d}.sql", head + b"".join(pieces))
            pieces, size = [], 0
    if pieces:
        yield Member(f"89000-large-objects-{part + 1:06d}.sql", head + b"".join(pieces))


def _statements(server: Server) -> Iterator[str]:
    for (number,) in server.rows("SELECT oid FROM pg_largeobject_metadata ORDER BY oid"):
        yield f"SELECT pg_catalog.lo_create({number})"
        at = 0
        while True:
            ((data,),) = server.rows(f"SELECT pg_catalog.lo_get({number}, {at}, {_CHUNK})")
            if not data or data == "\\x":
                break
            yield f"SELECT pg_catalog.lo_put({number}, {at}, '{data}')"
            at += (len(data) - 2) // 2
