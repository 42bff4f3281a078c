"""Comments and labels on objects."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from .dialect import in_this_database, setting, sql_text
from .server import Server

#: Kinds of objects whose names in ``COMMENT ON`` differ from those of ``pg_identify_object``.
_KINDS = {
    "table column": "COLUMN",
    "view column": "COLUMN",
    "materialized view column": "COLUMN",
    "foreign table column": "COLUMN",
    "aggregate": "ROUTINE",
    "composite type": "TYPE",
    "composite type column": "COLUMN",
    "table constraint": "CONSTRAINT",
    "domain constraint": "CONSTRAINT",
    "statistics object": "STATISTICS",
    "foreign-data wrapper": "FOREIGN DATA WRAPPER",
    "large object": "LARGE OBJECT",
}


#: The relation that a described object belongs to.
_RELATION = (
    "CASE d.classoid WHEN 'pg_class'::regclass THEN coalesce((SELECT x.indrelid FROM pg_index x "
    "WHERE x.indexrelid = d.objoid), d.objoid) WHEN 'pg_constraint'::regclass THEN (SELECT "
    "x.conrelid FROM pg_constraint x WHERE x.oid = d.objoid) WHEN 'pg_trigger'::regclass THEN "
    "(SELECT x.tgrelid FROM pg_trigger x WHERE x.oid = d.objoid) WHEN 'pg_policy'::regclass THEN "
    "(SELECT x.polrelid FROM pg_policy x WHERE x.oid = d.objoid) WHEN 'pg_rewrite'::regclass THEN "
    "(SELECT x.ev_class FROM pg_rewrite x WHERE x.oid = d.objoid) END::regclass"
)


def comments(server: Server, without: Collection[str]) -> Iterator[str]:
    """Yield the comments on everything that no extension brings, but for some relations."""
    for kind, identity, words, relation in server.rows(
        f"SELECT i.type, i.identity, d.description, {_RELATION} FROM pg_description d, LATERAL "
        "pg_catalog.pg_identify_object(d.classoid, d.objoid, d.objsubid) i WHERE "
        "(d.objoid >= 16384 OR d.classoid = 'pg_namespace'::regclass AND d.description <> "
        "'standard public schema') AND d.classoid <> 'pg_extension'::regclass AND NOT EXISTS "
        "(SELECT FROM pg_depend x WHERE x.classid = d.classoid AND x.objid = d.objoid AND "
        "x.deptype = 'e') AND i.identity IS NOT NULL AND i.identity !~ '^(pg_catalog|pg_toast|"
        "information_schema)([.]|$)' ORDER BY 1, 2"
    ):
        if relation in without:
            continue
        name = str(identity)
        if kind == "domain constraint":
            name = " ON DOMAIN ".join(name.rsplit(" on ", 1))
        called = _KINDS.get(str(kind), str(kind).upper())
        yield f"COMMENT ON {called} {name} IS {sql_text(str(words))}"
    for provider, kind, identity, label in server.rows(
        "SELECT s.provider, s.objtype, s.objname, s.label FROM pg_seclabels s WHERE s.objsubid = 0 "
        "AND s.objtype IN ('table', 'view', 'schema', 'sequence', 'function') ORDER BY 1, 2, 3"
    ):
        yield (
            f"SECURITY LABEL FOR {sql_text(str(provider))} ON {str(kind).upper()} {identity} IS "
            f"{sql_text(str(label))}"
        )


def database_settings(server: Server) -> Iterator[str]:
    """Yield the settings of the database itself, for whatever name it gets."""
    for (words,) in server.rows(
        "SELECT unnest(s.setconfig) FROM pg_db_role_setting s JOIN pg_database d ON d.oid = "
        "s.setdatabase WHERE d.datname = pg_catalog.current_database() AND s.setrole = 0"
    ):
        yield in_this_database("ALTER DATABASE ", f" SET {setting(str(words))}")
    for role, words in server.rows(
        "SELECT pg_catalog.quote_ident(a.rolname), unnest(s.setconfig) FROM pg_db_role_setting s "
        "JOIN pg_database d ON d.oid = s.setdatabase JOIN pg_roles a ON a.oid = s.setrole WHERE "
        "d.datname = pg_catalog.current_database() ORDER BY 1, 2"
    ):
        yield in_this_database(f"ALTER ROLE {role} IN DATABASE ", f" SET {setting(str(words))}")


def database_comment(server: Server) -> Iterator[str]:
    """Yield the comment on the database, for whatever name it gets."""
    for (words,) in server.rows(
        "SELECT pg_catalog.shobj_description(oid, 'pg_database') FROM pg_database WHERE datname = "
        "pg_catalog.current_database()"
    ):
        if words:
            yield in_this_database("COMMENT ON DATABASE ", f" IS {sql_text(words)}")
