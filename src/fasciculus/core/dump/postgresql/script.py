"""A dump of a PostgreSQL database, or of some of its tables, as one file that ``psql`` loads."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping

from ..sql.members import table_of
from .dialect import CONSTRAINTS, OBJECTS, OF_SERVER, SCHEMA
from .statements import statements

#: Members with statements for each table.
_OF_TABLES = (SCHEMA, CONSTRAINTS, OBJECTS)
_NAME = rb'(?:"(?:[^"]|"")+"|[^\s".(\',]+)'
_OF = re.compile(
    rb"(?:CREATE (?:UNLOGGED )?TABLE|ALTER TABLE(?: ONLY)?|"
    rb"ALTER SEQUENCE " + _NAME + rb"\." + _NAME + rb" OWNED BY|"
    rb"SELECT pg_catalog.setval\(pg_catalog.pg_get_serial_sequence\(\s?E?'|"
    rb"CREATE (?:CONSTRAINT )?TRIGGER .*? ON|CREATE (?:UNIQUE )?INDEX "
    + _NAME
    + rb" ON(?: ONLY)?) ?(?P<table>"
    + _NAME
    + rb"\."
    + _NAME
    + rb")",
    re.DOTALL,
)
_NEEDED = re.compile(
    rb"SET |CREATE SCHEMA |CREATE TYPE |CREATE DOMAIN |"
    rb"CREATE (?:UNLOGGED )?SEQUENCE "
)


def is_in_script(member: str, tables: Collection[str], shortened: Mapping[str, str]) -> bool:
    """Return whether a member is part of the file: all but what belongs to the server, or the
    structure and rows of some tables.
    """
    if not tables:
        return member not in OF_SERVER
    return member in _OF_TABLES or table_of(member, shortened) in tables


def script_part(member: str, data: bytes, tables: Collection[str]) -> bytes:
    """Return what of a member is part of the file: of the structure only that of ``tables``, with
    all types and sequences, since columns may need them.
    """
    if not tables or member not in _OF_TABLES:
        return data
    return b"".join(_chosen(data, tables))


def _chosen(data: bytes, tables: Collection[str]) -> Iterator[bytes]:
    for statement, rows in statements(data):
        found = _OF.match(statement)
        if rows is not None:
            continue
        if found is None:
            if _NEEDED.match(statement):
                yield statement + b";\n"
        elif _plain(found["table"]) in tables and not _refers(statement, tables):
            yield statement + b";\n"


def _refers(statement: bytes, tables: Collection[str]) -> bool:
    """Return whether a foreign key leads to a table that is not chosen."""
    found = re.search(rb" REFERENCES (" + _NAME + rb"\." + _NAME + rb")", statement)
    return found is not None and _plain(found[1]) not in tables


def _plain(name: bytes) -> str:
    """Return a name as people write it."""
    parts = re.findall(_NAME, name)
    return ".".join(
        part[1:-1].replace(b'""', b'"').decode("utf-8", "surrogateescape")
        if part.startswith(b'"')
        else part.decode("utf-8", "surrogateescape")
        for part in parts
    )
