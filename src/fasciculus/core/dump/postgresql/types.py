"""Schemas and types: enumerated, composite, range types and domains."""

from __future__ import annotations

from collections.abc import Iterator

from .catalog import DbObject, Dependencies
from .dialect import quote_name, sql_text
from .server import Server

#: Leaves out what comes with the server, by its schema.
OWN = (
    "n.nspname !~ '^pg_(toast|temp|catalog)' AND n.nspname NOT IN ('pg_catalog', "
    "'information_schema')"
)
#: The collation of a column, attribute or type that is not the one of its type.
COLLATION = "CASE WHEN {own} <> 0 AND {own} <> {usual} THEN {own}::regcollation::text ELSE '' END"

#: The options of something foreign, as SQL.
FOREIGN_OPTIONS = (
    "coalesce((SELECT ' OPTIONS (' || pg_catalog.string_agg(pg_catalog.quote_ident(option_name) || "
    "' ' || pg_catalog.quote_literal(option_value), ', ') || ')' FROM "
    "pg_catalog.pg_options_to_table({of})), '')"
)


def schemas(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the schemas."""
    for number, name in server.rows(
        f"SELECT n.oid, n.nspname FROM pg_namespace n WHERE {OWN} ORDER BY 2"
    ):
        if dependencies.is_of_extension("pg_namespace", number):
            continue
        key = ("pg_namespace", int(number or 0))
        made = f"CREATE SCHEMA IF NOT EXISTS {quote_name(str(name))}"
        yield DbObject("schema", str(name), [key], [made])


def types(server: Server, dependencies: Dependencies, notes: list[str]) -> Iterator[DbObject]:
    """Yield the types; those in C, which only extensions bring, are noted."""
    labels = _grouped(
        server,
        "SELECT enumtypid, pg_catalog.quote_literal(enumlabel) FROM pg_enum "
        "ORDER BY enumtypid, enumsortorder",
    )
    attributes = _grouped(
        server,
        "SELECT t.oid, pg_catalog.quote_ident(a.attname) || ' ' || "
        "pg_catalog.format_type(a.atttypid, a.atttypmod) || CASE WHEN a.attcollation <> 0 AND "
        "a.attcollation <> u.typcollation THEN ' COLLATE ' || a.attcollation::regcollation::text "
        "ELSE '' END FROM pg_type t JOIN pg_class c ON c.oid = t.typrelid AND c.relkind = 'c' "
        "JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped "
        "JOIN pg_type u ON u.oid = a.atttypid ORDER BY t.oid, a.attnum",
    )
    domains = dict(_domains(server))
    unchecked = _grouped(
        server,
        "SELECT contypid, 'ALTER DOMAIN ' || contypid::regtype || ' ADD CONSTRAINT ' || "
        "pg_catalog.quote_ident(conname) || ' ' || pg_catalog.pg_get_constraintdef(oid) FROM "
        "pg_constraint WHERE contypid <> 0 AND contype = 'c' AND NOT convalidated "
        "ORDER BY contypid, conname",
    )
    ranges = dict(_ranges(server))
    for number, name, kind in server.rows(
        "SELECT t.oid, t.oid::regtype, t.typtype FROM pg_type t JOIN pg_namespace n ON "
        "n.oid = t.typnamespace LEFT JOIN pg_class c ON c.oid = t.typrelid WHERE "
        f"{OWN} AND (t.typtype IN ('e', 'd', 'r') OR t.typtype = 'c' AND c.relkind = 'c' "
        "OR t.typtype = 'b' AND t.typcategory <> 'A') ORDER BY 2"
    ):
        if dependencies.is_of_extension("pg_type", number):
            continue
        key = str(number)
        if kind == "b":
            notes.append(f"type {name} is written in C and not in the bundle")
            continue
        words = {
            "d": f"DOMAIN {name} {domains.get(key)}",
            "e": f"TYPE {name} AS ENUM ({', '.join(labels.get(key, []))})",
            "c": f"TYPE {name} AS ({', '.join(attributes.get(key, []))})",
            "r": f"TYPE {name} {ranges.get(key)}",
        }[str(kind)]
        made = [f"CREATE {words}", *unchecked.get(key, [])]
        yield DbObject("type", str(name), [("pg_type", int(key))], made)


def _grouped(server: Server, query: str) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for key, value in server.rows(query):
        found.setdefault(str(key), []).append(str(value))
    return found


def _domains(server: Server) -> Iterator[tuple[str, str]]:
    checks = _grouped(
        server,
        "SELECT contypid, 'CONSTRAINT ' || pg_catalog.quote_ident(conname) || ' ' || "
        "pg_catalog.pg_get_constraintdef(oid) FROM pg_constraint WHERE contypid <> 0 AND "
        "contype = 'c' AND convalidated ORDER BY contypid, conname",
    )
    collation = COLLATION.format(own="t.typcollation", usual="b.typcollation")
    for number, base, collated, default, is_filled in server.rows(
        f"SELECT t.oid, pg_catalog.format_type(t.typbasetype, t.typtypmod), {collation}, "
        "coalesce(pg_catalog.pg_get_expr(t.typdefaultbin, 0), ''), t.typnotnull FROM pg_type t "
        "JOIN pg_type b ON b.oid = t.typbasetype WHERE t.typtype = 'd'"
    ):
        words = [f"AS {base}"]
        words += [f"COLLATE {collated}"] if collated else []
        words += [f"DEFAULT {default}"] if default else []
        words += ["NOT NULL"] if is_filled == "t" else []
        yield str(number), " ".join([*words, *checks.get(str(number), [])])


def _ranges(server: Server) -> Iterator[tuple[str, str]]:
    collation = COLLATION.format(own="r.rngcollation", usual="s.typcollation")
    multirange = "r.rngmultitypid::regtype::text" if server.version >= 140000 else "''"
    for row in server.rows(
        "SELECT r.rngtypid, r.rngsubtype::regtype, pg_catalog.quote_ident(n.nspname) || '.' || "
        f"pg_catalog.quote_ident(o.opcname), {collation}, r.rngcanonical::regproc, "
        f"r.rngsubdiff::regproc, {multirange} FROM pg_range r JOIN pg_type s ON "
        "s.oid = r.rngsubtype JOIN pg_opclass o "
        "ON o.oid = r.rngsubopc JOIN pg_namespace n ON n.oid = o.opcnamespace"
    ):
        number, subtype, opclass, collated, canonical, difference, several = map(str, row)
        words = [f"SUBTYPE = {subtype}", f"SUBTYPE_OPCLASS = {opclass}"]
        words += [f"COLLATION = {collated}"] if collated else []
        words += [f"CANONICAL = {canonical}"] if canonical != "-" else []
        words += [f"SUBTYPE_DIFF = {difference}"] if difference != "-" else []
        words += [f"MULTIRANGE_TYPE_NAME = {several}"] if several else []
        yield number, f"AS RANGE ({', '.join(words)})"


def extensions(server: Server) -> Iterator[str]:
    """Yield the statements that create the extensions, by name and schema."""
    for name, schema in server.rows(
        "SELECT e.extname, n.nspname FROM pg_extension e JOIN pg_namespace n ON "
        "n.oid = e.extnamespace ORDER BY e.oid"
    ):
        if schema != "pg_catalog":
            place = quote_name(str(schema))
            yield f"CREATE SCHEMA IF NOT EXISTS {place}"
            yield f"CREATE EXTENSION IF NOT EXISTS {quote_name(str(name))} WITH SCHEMA {place}"


def collations(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the collations."""
    icu = "c.colliculocale" if 150000 <= server.version < 170000 else "NULL"
    icu = "c.colllocale" if server.version >= 170000 else icu
    for number, name, provider, collate, ctype, locale, is_strict in server.rows(
        f"SELECT c.oid, c.oid::regcollation, c.collprovider, c.collcollate, c.collctype, {icu}, "
        "c.collisdeterministic FROM pg_collation c JOIN pg_namespace n ON n.oid = c.collnamespace "
        f"WHERE {OWN} ORDER BY 2"
    ):
        if dependencies.is_of_extension("pg_collation", number):
            continue
        words = [f"PROVIDER = {'icu' if provider == 'i' else 'libc'}"]
        if provider == "i":
            words.append(f"LOCALE = {sql_text(str(locale or collate))}")
        else:
            words.append(f"LC_COLLATE = {sql_text(str(collate))}")
            words.append(f"LC_CTYPE = {sql_text(str(ctype))}")
        words += ["DETERMINISTIC = false"] if is_strict == "f" else []
        made = f"CREATE COLLATION {name} ({', '.join(words)})"
        yield DbObject("collation", str(name), [("pg_collation", int(number or 0))], [made])
