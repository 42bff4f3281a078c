"""Tables: columns, partitions, inheritance and what is set on them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from msgspec import Struct

from .catalog import DbObject, Dependencies
from .dialect import quote_name
from .sequences import Sequence
from .server import Server
from .types import COLLATION, FOREIGN_OPTIONS, OWN

_STORAGE = {"p": "PLAIN", "e": "EXTERNAL", "m": "MAIN", "x": "EXTENDED"}
_IDENTITY = {"a": "ALWAYS", "d": "BY DEFAULT"}
_REPLICA = {"f": "FULL", "n": "NOTHING"}


class Column(Struct, frozen=True):
    """A column as the catalog has it; ``is_local`` unless it is only inherited. One that is
    ``is_inherited`` as well has the generation expression of its parent's.
    """

    name: str
    type: str
    collation: str
    default: str
    is_filled: bool
    identity: str
    generated: str
    is_local: bool
    settings: list[str]
    is_inherited: bool = False

    @property
    def words(self) -> str:
        """Return its definition, but for an identity."""
        words = [quote_name(self.name), self.type]
        words += [f"COLLATE {self.collation}"] if self.collation else []
        if self.generated and not self.is_inherited:
            kind = "STORED" if self.generated == "s" else "VIRTUAL"
            words.append(f"GENERATED ALWAYS AS ({self.default}) {kind}")
        elif self.default and not self.generated:
            words.append(f"DEFAULT {self.default}")
        words += ["NOT NULL"] if self.is_filled else []
        return " ".join(words)


class Table(Struct, frozen=True):
    """A table: ``kind`` as in ``pg_class``, ``name`` as SQL, ``called`` as people write it.

    ``parents`` are the tables that it inherits from, ``bound`` its part of a partitioned one.
    """

    number: int
    name: str
    called: str
    kind: str
    persistence: str
    access_method: str
    options: str
    partition_key: str
    bound: str
    parents: list[str]
    foreign: str
    of_type: str
    row_security: str
    replica: str
    columns: list[Column]

    @property
    def row_columns(self) -> list[str]:
        """Return the columns that rows are written with."""
        return [quote_name(column.name) for column in self.columns if not column.generated]


def tables(server: Server, dependencies: Dependencies) -> tuple[list[Table], list[Table]]:
    """Return all tables but temporary ones, and apart from them those of extensions."""
    columns = _columns(server)
    foreign = dict(_foreign(server))
    own, of_extensions = list[Table](), list[Table]()
    for row in server.rows(
        "SELECT c.oid, c.oid::regclass, n.nspname || '.' || c.relname, c.relkind, "
        "c.relpersistence, coalesce((SELECT pg_catalog.quote_ident(m.amname) FROM pg_am m WHERE "
        "m.oid = c.relam AND m.amname <> 'heap'), ''), "
        "pg_catalog.array_to_string(c.reloptions || (SELECT pg_catalog.array_agg('toast.' || o) "
        "FROM pg_class t, unnest(t.reloptions) o WHERE t.oid = c.reltoastrelid), ', '), CASE WHEN "
        "c.relkind = 'p' THEN "
        "pg_catalog.pg_get_partkeydef(c.oid) ELSE '' END, CASE WHEN c.relispartition THEN "
        "pg_catalog.pg_get_expr(c.relpartbound, c.oid) ELSE '' END, (SELECT "
        "pg_catalog.string_agg(i.inhparent::regclass::text, E'\\n' ORDER BY i.inhseqno) FROM "
        "pg_inherits i WHERE i.inhrelid = c.oid), CASE WHEN c.reloftype <> 0 THEN "
        "c.reloftype::regtype::text ELSE '' END, c.relrowsecurity::int || "
        "c.relforcerowsecurity::int::text, c.relreplident FROM pg_class c JOIN pg_namespace n ON "
        "n.oid = c.relnamespace WHERE "
        f"c.relkind IN ('r', 'p', 'f') AND c.relpersistence <> 't' AND {OWN} ORDER BY 3"
    ):
        values = [value or "" for value in row]
        number, name, called, kind, persistence, method, options, key, bound = values[:9]
        parents, of_type, security, replica = values[9:]
        found = of_extensions if dependencies.is_of_extension("pg_class", number) else own
        found.append(
            Table(
                int(number),
                name,
                called,
                kind,
                persistence,
                method,
                options,
                key,
                bound,
                [part for part in parents.split("\n") if part],
                foreign.get(number, ""),
                of_type,
                security,
                replica,
                columns.get(number, []),
            )
        )
    return own, of_extensions


def _columns(server: Server) -> dict[str, list[Column]]:
    found: dict[str, list[Column]] = {}
    collation = COLLATION.format(own="a.attcollation", usual="t.typcollation")
    compression = "a.attcompression" if server.version >= 140000 else "''"
    for row in server.rows(
        "SELECT a.attrelid, a.attname, pg_catalog.format_type(a.atttypid, a.atttypmod), "
        f"{collation}, pg_catalog.pg_get_expr(d.adbin, d.adrelid), a.attnotnull, a.attidentity, "
        "a.attgenerated, a.attislocal, CASE WHEN a.attstorage <> t.typstorage THEN a.attstorage "
        f"END, {compression}, CASE WHEN a.attstattarget >= 0 THEN a.attstattarget END, "
        "pg_catalog.array_to_string(a.attoptions, ', '), CASE WHEN a.attinhcount > 0 AND NOT "
        "c.relispartition THEN 'inherited' END FROM pg_attribute a JOIN pg_class c ON "
        "c.oid = a.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace JOIN pg_type t ON "
        "t.oid = a.atttypid LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = "
        "a.attnum WHERE a.attnum > 0 AND NOT a.attisdropped AND c.relkind IN ('r', 'p', 'f', 'v') "
        f"AND {OWN} ORDER BY a.attrelid, a.attnum"
    ):
        of, name, type_, collated, default, filled, identity, generated, local = (
            value or "" for value in row[:9]
        )
        storage, compressed, statistics, options, inherited = (value or "" for value in row[9:])
        settings = [f"SET STORAGE {_STORAGE[storage]}"] if storage else []
        if compressed:
            settings.append(f"SET COMPRESSION {'lz4' if compressed == 'l' else 'pglz'}")
        settings += [f"SET STATISTICS {statistics}"] if statistics else []
        settings += [f"SET ({options})"] if options else []
        found.setdefault(of, []).append(
            Column(
                name,
                type_,
                collated,
                default,
                filled == "t",
                identity,
                generated,
                local == "t",
                settings,
                bool(inherited),
            )
        )
    return found


def _foreign(server: Server) -> Iterator[tuple[str, str]]:
    for number, words in server.rows(
        "SELECT t.ftrelid, 'SERVER ' || pg_catalog.quote_ident(s.srvname) || "
        f"{FOREIGN_OPTIONS.format(of='t.ftoptions')} FROM pg_foreign_table t JOIN "
        "pg_foreign_server s ON s.oid = t.ftserver"
    ):
        yield str(number), str(words)


def table_object(table: Table, identities: Mapping[tuple[str, str], Sequence]) -> DbObject:
    """Return the object of a table; ``identities`` are sequences by table and column."""
    statements = [_created(table, identities), *_settings(table)]
    return DbObject("table", table.called, [("pg_class", table.number)], statements)


def _created(table: Table, identities: Mapping[tuple[str, str], Sequence]) -> str:
    inherits = table.parents and not table.bound
    columns = []
    for column in table.columns:
        if inherits and not column.is_local:
            continue
        identity = identities.get((table.name, column.name))
        words = column.words
        if column.identity and identity is not None:
            words += (
                f" GENERATED {_IDENTITY[column.identity]} AS IDENTITY (SEQUENCE NAME "
                f"{identity.name} {identity.options})"
            )
        columns.append(f"\n    {words}")
    kind = "FOREIGN TABLE" if table.foreign else "TABLE"
    unlogged = "UNLOGGED " if table.persistence == "u" else ""
    words = f"CREATE {unlogged}{kind} {table.name} ({','.join(columns)}\n)"
    if inherits:
        words += f" INHERITS ({', '.join(table.parents)})"
    if table.partition_key:
        words += f" PARTITION BY {table.partition_key}"
    if table.foreign:
        return f"{words} {table.foreign}"
    words += f" USING {table.access_method}" if table.access_method else ""
    return f"{words} WITH ({table.options})" if table.options else words


def _settings(table: Table) -> Iterator[str]:
    """Yield what is set on a table and its columns after it was created."""
    alter = f"ALTER {'FOREIGN TABLE' if table.foreign else 'TABLE'} ONLY {table.name}"
    for column in table.columns:
        called = quote_name(column.name)
        for words in column.settings:
            yield f"{alter} ALTER COLUMN {called} {words}"
        if table.parents and not table.bound and not column.is_local:
            if column.default and not column.generated:
                yield f"{alter} ALTER COLUMN {called} SET DEFAULT {column.default}"
            if column.is_filled:
                yield f"{alter} ALTER COLUMN {called} SET NOT NULL"
    if table.of_type:
        yield f"{alter} OF {table.of_type}"
    if table.kind != "f":
        identity = _REPLICA.get(table.replica)
        if identity:
            yield f"{alter} REPLICA IDENTITY {identity}"


def attached(found: list[Table]) -> Iterator[str]:
    """Yield the statements that make tables parts of partitioned ones."""
    for table in found:
        if table.bound:
            yield (
                f"ALTER TABLE ONLY {table.parents[0]} ATTACH PARTITION {table.name} {table.bound}"
            )


def row_security(found: list[Table]) -> Iterator[str]:
    """Yield the statements that turn row security on."""
    for table in found:
        if table.row_security[:1] == "1":
            yield f"ALTER TABLE {table.name} ENABLE ROW LEVEL SECURITY"
        if table.row_security[1:] == "1":
            yield f"ALTER TABLE ONLY {table.name} FORCE ROW LEVEL SECURITY"
