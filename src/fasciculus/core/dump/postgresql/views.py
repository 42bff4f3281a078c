"""Views and materialised views."""

from __future__ import annotations

from collections.abc import Iterator

from .catalog import DbObject, Dependencies, Key
from .dialect import quote_name
from .server import Server
from .types import OWN


def views(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the views; materialised ones are created empty."""
    defaults: dict[str, list[str]] = {}
    for of, name, default in server.rows(
        "SELECT d.adrelid, a.attname, pg_catalog.pg_get_expr(d.adbin, d.adrelid) FROM pg_attrdef d "
        "JOIN pg_class c ON c.oid = d.adrelid AND c.relkind = 'v' JOIN pg_attribute a ON "
        "a.attrelid = d.adrelid AND a.attnum = d.adnum ORDER BY d.adrelid, d.adnum"
    ):
        defaults.setdefault(str(of), []).append(
            f"ALTER COLUMN {quote_name(str(name))} SET DEFAULT {default}"
        )
    for row in server.rows(
        "SELECT c.oid, c.oid::regclass, n.nspname || '.' || c.relname, c.relkind, "
        "pg_catalog.array_to_string(c.reloptions, ', '), pg_catalog.pg_get_viewdef(c.oid) FROM "
        f"pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE {OWN} AND c.relkind IN "
        "('v', 'm') AND c.relpersistence <> 't' ORDER BY 3"
    ):
        number, name, called, kind, options, query = (value or "" for value in row)
        if dependencies.is_of_extension("pg_class", number):
            continue
        query = query.rstrip().removesuffix(";")
        with_ = f" WITH ({options})" if options else ""
        made = [f"CREATE VIEW {name}{with_} AS\n{query}"]
        if kind == "m":
            made = [f"CREATE MATERIALIZED VIEW {name}{with_} AS\n{query}\nWITH NO DATA"]
        made += [f"ALTER VIEW {name} {words}" for words in defaults.get(number, [])]
        yield DbObject("view", called, [("pg_class", int(number))], made)


def filled(server: Server) -> dict[Key, str]:
    """Return the materialised views that hold rows, by their names as SQL."""
    rows = server.rows(
        "SELECT oid, oid::regclass FROM pg_class WHERE relkind = 'm' AND relispopulated"
    )
    return {("pg_class", int(number or 0)): str(name) for number, name in rows}
