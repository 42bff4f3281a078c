"""A dump of a MariaDB database, or of some of its tables, as one file that a client loads."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping

from ..sql.members import table_of
from .dialect import HEAD, USERS
from .loader import statements

_SCHEMA = "00000-schema.sql"
_PREPARED = re.compile(rb"SET @fasciculus=x'([0-9a-f]*)'\Z")
_CREATED = re.compile(rb"CREATE (?:TABLE|SEQUENCE) `((?:[^`]|``)*)`")
_AFTER_PREPARED = (b"PREPARE ", b"EXECUTE ", b"DEALLOCATE ")


def is_in_script(member: str, tables: Collection[str], shortened: Mapping[str, str]) -> bool:
    """Return whether a member is part of the file: all but the users of the server, or the
    structure and rows of some tables.
    """
    if not tables:
        return member != USERS
    return member == _SCHEMA or table_of(member, shortened) in tables


def script_part(member: str, data: bytes, tables: Collection[str]) -> bytes:
    """Return what of a member is part of the file: of the structure only that of ``tables``."""
    if not tables or member != _SCHEMA:
        return data
    return HEAD + b"".join(_structures(data, tables))


def _structures(data: bytes, tables: Collection[str]) -> Iterator[bytes]:
    """Yield the statements of a member that create some tables."""
    is_wanted = False
    for statement in statements(data):
        if statement.startswith(_AFTER_PREPARED):
            if is_wanted:
                yield statement + b";\n"
            continue
        prepared = _PREPARED.match(statement)
        text = bytes.fromhex(prepared[1].decode()) if prepared else statement
        created = _CREATED.match(text)
        name = created[1].replace(b"``", b"`").decode("utf-8", "replace") if created else None
        is_wanted = name in tables
        if is_wanted:
            yield statement + b";\n"
