"""Additions to loaded tables: constraints, indexes, triggers, rules and policies."""

from __future__ import annotations

from collections.abc import Iterator

from .dialect import quote_name, sql_text
from .server import Server
from .types import OWN

_STATES = {
    "D": "DISABLE",
    "A": "ENABLE ALWAYS",
    "R": "ENABLE REPLICA",
}
_NOT_OF_EXTENSION = (
    "NOT EXISTS (SELECT FROM pg_depend x WHERE x.classid = 'pg_class'::regclass AND x.objid = "
    "{of} AND x.deptype = 'e')"
)


def constraints(server: Server) -> Iterator[tuple[str, str, str]]:
    """Yield the tables' constraints with their tables, and with those that they refer to: keys
    first, references last.
    """
    for table, name, words, is_foreign, other in server.rows(
        "SELECT c.conrelid::regclass::text, c.conname, pg_catalog.pg_get_constraintdef(c.oid), "
        "r.relkind = 'f', CASE WHEN c.confrelid <> 0 THEN c.confrelid::regclass::text ELSE '' END "
        "FROM pg_constraint c JOIN pg_class r ON r.oid = c.conrelid JOIN "
        f"pg_namespace n ON n.oid = r.relnamespace WHERE {OWN} AND c.contype IN ('p', 'u', 'x', "
        "'c', 'f') AND (c.conislocal AND c.conparentid = 0 OR c.contype IN ('p', 'u', 'x')) AND "
        "r.relpersistence <> 't' AND "
        f"{_NOT_OF_EXTENSION.format(of='r.oid')} AND NOT EXISTS (SELECT FROM pg_inherits i JOIN "
        "pg_constraint p ON p.conrelid = i.inhparent AND p.conname = c.conname AND p.contype = 'c' "
        "WHERE i.inhrelid = c.conrelid AND r.relispartition AND c.contype = 'c') ORDER BY "
        "pg_catalog.strpos('cpuxf', c.contype::text), r.relkind <> 'p', 1, 2"
    ):
        # Only keys are added to each partition by itself.
        only = "" if str(words).startswith(("CHECK", "FOREIGN KEY")) else "ONLY "
        kind = "FOREIGN TABLE" if is_foreign == "t" else "TABLE"
        added = f"ALTER {kind} {only}{table} ADD CONSTRAINT {quote_name(str(name))} {words}"
        yield str(table), added, str(other)


def indexes(server: Server) -> Iterator[tuple[str, str]]:
    """Yield the indexes that no constraint brings, with their tables, and what is set on them."""
    rows = server.rows(
        "SELECT i.indrelid::regclass::text, i.indexrelid::regclass::text, "
        "pg_catalog.pg_get_indexdef(i.indexrelid), i.indisclustered, i.indisreplident, "
        "EXISTS (SELECT FROM pg_constraint k WHERE k.conindid = i.indexrelid AND k.contype IN "
        "('p', 'u', 'x')), (SELECT h.inhparent::regclass FROM pg_inherits h WHERE h.inhrelid = "
        "i.indexrelid) FROM pg_index i JOIN pg_class r ON r.oid = i.indrelid JOIN "
        f"pg_namespace n ON n.oid = r.relnamespace WHERE {OWN} AND r.relpersistence <> 't' AND "
        f"{_NOT_OF_EXTENSION.format(of='r.oid')} AND (i.indisvalid OR r.relkind = 'p') "
        "ORDER BY r.relkind <> 'p', 1, 2"
    )
    for table, name, words, clustered, identity, of_constraint, parent in rows:
        if of_constraint == "f":
            yield str(table), str(words)
        if parent is not None:
            yield str(table), f"ALTER INDEX {parent} ATTACH PARTITION {name}"
        index = str(name).rpartition(".")[2]
        if clustered == "t":
            yield str(table), f"ALTER TABLE {table} CLUSTER ON {index}"
        if identity == "t":
            yield str(table), f"ALTER TABLE ONLY {table} REPLICA IDENTITY USING INDEX {index}"
    yield from _statistics_targets(server)


def _statistics_targets(server: Server) -> Iterator[tuple[str, str]]:
    for table, index, column, target in server.rows(
        "SELECT i.indrelid::regclass::text, i.indexrelid::regclass::text, a.attnum, "
        "a.attstattarget FROM pg_index i JOIN pg_attribute a ON a.attrelid = i.indexrelid AND "
        "a.attstattarget >= 0 JOIN pg_class r ON r.oid = i.indrelid JOIN pg_namespace n ON n.oid = "
        f"r.relnamespace WHERE {OWN}"
    ):
        yield str(table), f"ALTER INDEX {index} ALTER COLUMN {column} SET STATISTICS {target}"


def statistics(server: Server) -> Iterator[str]:
    """Yield the extended statistics."""
    for made, name, target in server.rows(
        "SELECT pg_catalog.pg_get_statisticsobjdef(s.oid), pg_catalog.quote_ident(n.nspname) || "
        "'.' || pg_catalog.quote_ident(s.stxname), s.stxstattarget FROM pg_statistic_ext s JOIN "
        f"pg_namespace n ON n.oid = s.stxnamespace WHERE {OWN} ORDER BY 2"
    ):
        yield str(made)
        if target is not None and int(target) >= 0:
            yield f"ALTER STATISTICS {name} SET STATISTICS {target}"


def rules(server: Server) -> Iterator[tuple[str, str]]:
    """Yield the rules that are no views, with their tables."""
    for table, name, words, state in server.rows(
        "SELECT w.ev_class::regclass::text, w.rulename, pg_catalog.pg_get_ruledef(w.oid), "
        "w.ev_enabled FROM pg_rewrite w JOIN pg_class r ON r.oid = w.ev_class JOIN pg_namespace n "
        f"ON n.oid = r.relnamespace WHERE {OWN} AND w.rulename <> '_RETURN' AND "
        f"{_NOT_OF_EXTENSION.format(of='r.oid')} ORDER BY 1, 2"
    ):
        yield str(table), str(words).rstrip().removesuffix(";")
        if word := _STATES.get(str(state)):
            yield str(table), f"ALTER TABLE {table} {word} RULE {quote_name(str(name))}"


def triggers(server: Server) -> Iterator[tuple[str, str]]:
    """Yield the triggers, with their tables, and those that are not simply on."""
    parent = "t.tgparentid" if server.version >= 130000 else "0"
    for table, name, words, state, is_inherited in server.rows(
        "SELECT t.tgrelid::regclass::text, t.tgname, pg_catalog.pg_get_triggerdef(t.oid), "
        "t.tgenabled, "
        f"{parent} <> 0 FROM pg_trigger t JOIN pg_class r ON r.oid = t.tgrelid JOIN pg_namespace n "
        f"ON n.oid = r.relnamespace WHERE {OWN} AND (NOT t.tgisinternal OR {parent} <> 0) AND "
        f"{_NOT_OF_EXTENSION.format(of='r.oid')} ORDER BY r.relkind <> 'p', 1, 2"
    ):
        if is_inherited == "f":
            yield str(table), str(words)
        if word := _STATES.get(str(state)):
            yield str(table), f"ALTER TABLE {table} {word} TRIGGER {quote_name(str(name))}"


def policies(server: Server) -> Iterator[tuple[str, str]]:
    """Yield the policies of row security, with their tables."""
    commands = {"r": "SELECT", "a": "INSERT", "w": "UPDATE", "d": "DELETE"}
    for row in server.rows(
        "SELECT p.polrelid::regclass::text, p.polname, p.polcmd, p.polpermissive, (SELECT "
        "pg_catalog.string_agg(CASE WHEN o.role = 0 THEN 'PUBLIC' ELSE "
        "pg_catalog.quote_ident(a.rolname) END, ', ') FROM unnest(p.polroles) AS o(role) LEFT JOIN "
        "pg_roles a ON a.oid = o.role), pg_catalog.pg_get_expr(p.polqual, p.polrelid), "
        "pg_catalog.pg_get_expr(p.polwithcheck, p.polrelid) FROM pg_policy p JOIN pg_class r ON "
        f"r.oid = p.polrelid JOIN pg_namespace n ON n.oid = r.relnamespace WHERE {OWN} "
        "ORDER BY 1, 2"
    ):
        table, name, command, permissive, roles, using, check = row
        words = f"CREATE POLICY {quote_name(str(name))} ON {table}"
        words += " AS RESTRICTIVE" if permissive == "f" else ""
        words += f" FOR {commands[str(command)]}" if command in commands else ""
        words += f" TO {roles}" if roles else ""
        words += f" USING ({using})" if using else ""
        words += f" WITH CHECK ({check})" if check else ""
        yield str(table), words


def event_triggers(server: Server) -> Iterator[str]:
    """Yield the event triggers, which only superusers create."""
    for name, event, function, tags, state in server.rows(
        "SELECT e.evtname, e.evtevent, e.evtfoid::regproc, (SELECT pg_catalog.string_agg("
        "pg_catalog.quote_literal(tag), ', ') FROM unnest(e.evttags) AS tag), e.evtenabled FROM "
        "pg_event_trigger e WHERE NOT EXISTS (SELECT FROM pg_depend x WHERE x.classid = "
        "'pg_event_trigger'::regclass AND x.objid = e.oid AND x.deptype = 'e') ORDER BY 1"
    ):
        called = quote_name(str(name))
        when = f" WHEN TAG IN ({tags})" if tags else ""
        yield f"CREATE EVENT TRIGGER {called} ON {event}{when} EXECUTE FUNCTION {function}()"
        if word := _STATES.get(str(state)):
            yield f"ALTER EVENT TRIGGER {called} {word}"


def publications(server: Server) -> Iterator[str]:
    """Yield the publications with their tables."""
    for number, name, everything, *events, by_root in server.rows(
        "SELECT oid, pubname, puballtables, pubinsert, pubupdate, pubdelete, pubtruncate, "
        "pubviaroot FROM pg_publication ORDER BY 2"
    ):
        words = ("insert", "update", "delete", "truncate")
        chosen = ", ".join(w for w, on in zip(words, events, strict=True) if on == "t")
        made = f"CREATE PUBLICATION {quote_name(str(name))}"
        made += " FOR ALL TABLES" if everything == "t" else ""
        made += f" WITH (publish = {sql_text(chosen)}"
        made += ", publish_via_partition_root = true)" if by_root == "t" else ")"
        yield made
        yield from _published(server, str(number), quote_name(str(name)))


def _published(server: Server, number: str, name: str) -> Iterator[str]:
    more = "''"
    if server.version >= 150000:
        more = (
            "coalesce((SELECT ' (' || pg_catalog.string_agg(pg_catalog.quote_ident(a.attname), "
            "', ' ORDER BY a.attnum) || ')' FROM pg_attribute a WHERE a.attrelid = p.prrelid AND "
            "a.attnum = ANY (p.prattrs)), '') || coalesce(' WHERE (' || "
            "pg_catalog.pg_get_expr(p.prqual, p.prrelid) || ')', '')"
        )
    for table, words in server.rows(
        f"SELECT p.prrelid::regclass::text, {more} FROM pg_publication_rel p WHERE "
        "p.prpubid = %s::oid ORDER BY 1",
        number,
    ):
        yield f"ALTER PUBLICATION {name} ADD TABLE ONLY {table}{words}"
    if server.version >= 150000:
        for (schema,) in server.rows(
            "SELECT pg_catalog.quote_ident(n.nspname) FROM pg_publication_namespace p JOIN "
            "pg_namespace n ON n.oid = p.pnnspid WHERE p.pnpubid = %s::oid ORDER BY 1",
            number,
        ):
            yield f"ALTER PUBLICATION {name} ADD TABLES IN SCHEMA {schema}"
