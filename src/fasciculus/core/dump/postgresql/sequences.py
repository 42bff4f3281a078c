"""Sequences: their definitions, owners and values."""

from __future__ import annotations

from collections.abc import Iterator

from msgspec import Struct

from .catalog import DbObject, Dependencies, Key
from .dialect import quote_name, sql_text
from .server import Server
from .types import OWN


class Sequence(Struct, frozen=True):
    """A sequence, its options, and the table and column that it belongs to, if any; with
    ``is_identity`` it is created with the column.
    """

    number: int
    name: str
    options: str
    table: str
    column: str
    is_identity: bool
    is_logged: bool


def sequences(server: Server, dependencies: Dependencies) -> list[Sequence]:
    """Return the sequences by name."""
    found = []
    for row in server.rows(
        "SELECT c.oid, c.oid::regclass::text, s.seqtypid::regtype, s.seqstart, s.seqincrement, "
        "s.seqmin, s.seqmax, s.seqcache, s.seqcycle, coalesce(d.refobjid::regclass::text, ''), "
        "coalesce(a.attname, ''), coalesce(d.deptype, ''), c.relpersistence FROM pg_class c JOIN "
        "pg_namespace n ON n.oid = c.relnamespace JOIN pg_sequence s ON s.seqrelid = c.oid "
        "LEFT JOIN pg_depend d ON d.classid = 'pg_class'::regclass AND "
        "d.objid = c.oid AND d.objsubid = 0 AND d.refclassid = 'pg_class'::regclass AND "
        "d.refobjsubid <> 0 AND d.deptype IN ('a', 'i') LEFT JOIN pg_attribute a ON "
        "a.attrelid = d.refobjid AND a.attnum = d.refobjsubid "
        f"WHERE c.relkind = 'S' AND c.relpersistence <> 't' AND {OWN} ORDER BY 2"
    ):
        number, name, of, start, step, least, most, cache, cycle, *more = map(str, row)
        table, column, kind, persistence = more
        if dependencies.is_of_extension("pg_class", number):
            continue
        options = (
            f"START WITH {start} INCREMENT BY {step} MINVALUE {least} MAXVALUE {most} CACHE {cache}"
        )
        options += " CYCLE" if cycle == "t" else ""
        is_identity = kind == "i"
        if not is_identity:
            options = f"AS {of} {options}"
        found.append(
            Sequence(int(number), name, options, table, column, is_identity, persistence != "u")
        )
    return found


def sequence_objects(found: list[Sequence]) -> Iterator[DbObject]:
    """Yield those that are created by themselves."""
    for row in found:
        if not row.is_identity:
            key: Key = ("pg_class", row.number)
            unlogged = "" if row.is_logged else "UNLOGGED "
            made = f"CREATE {unlogged}SEQUENCE {row.name} {row.options}"
            yield DbObject("sequence", row.name, [key], [made])


def by_column(found: list[Sequence]) -> dict[tuple[str, str], Sequence]:
    """Return those that are created with their columns, by table and column."""
    return {(row.table, row.column): row for row in found if row.is_identity}


def owned(found: list[Sequence]) -> Iterator[str]:
    """Yield the statements that let columns own their sequences."""
    for row in found:
        if row.column and not row.is_identity:
            yield f"ALTER SEQUENCE {row.name} OWNED BY {row.table}.{quote_name(row.column)}"


def values(server: Server, found: list[Sequence]) -> Iterator[str]:
    """Yield the statements that set the present values."""
    for row in found:
        ((last, called),) = server.rows(f"SELECT last_value, is_called FROM {row.name}")
        is_called = "true" if called == "t" else "false"
        which = sql_text(row.name)
        if row.column:
            of = f"{sql_text(row.table)}, {sql_text(row.column)}"
            which = f"pg_catalog.pg_get_serial_sequence({of})"
        yield f"SELECT pg_catalog.setval({which}, {last}, {is_called})"
