"""Text search configurations with their dictionaries, and foreign data."""

from __future__ import annotations

from collections.abc import Iterator

from .catalog import DbObject, Dependencies
from .dialect import quote_name
from .server import Server
from .types import FOREIGN_OPTIONS, OWN

_NAME = "pg_catalog.quote_ident({n}.nspname) || '.' || pg_catalog.quote_ident({column})"


def dictionaries(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the dictionaries."""
    template = _NAME.format(n="tn", column="t.tmplname")
    for number, name, of, options in server.rows(
        f"SELECT d.oid, {_NAME.format(n='n', column='d.dictname')}, {template}, d.dictinitoption "
        "FROM pg_ts_dict d JOIN pg_namespace n ON n.oid = d.dictnamespace JOIN pg_ts_template t "
        "ON t.oid = d.dicttemplate JOIN pg_namespace tn ON tn.oid = t.tmplnamespace "
        f"WHERE {OWN} ORDER BY 2"
    ):
        if dependencies.is_of_extension("pg_ts_dict", number):
            continue
        more = f", {options}" if options else ""
        made = f"CREATE TEXT SEARCH DICTIONARY {name} (TEMPLATE = {of}{more})"
        yield DbObject("text search", str(name), [("pg_ts_dict", int(number or 0))], [made])


def configurations(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the configurations, each with its mappings."""
    mappings: dict[str, list[str]] = {}
    dictionary = _NAME.format(n="n", column="d.dictname")
    for config, token, names in server.rows(
        "SELECT m.mapcfg, pg_catalog.quote_ident((SELECT t.alias FROM "
        "pg_catalog.ts_token_type(c.cfgparser) t WHERE t.tokid = m.maptokentype)), "
        f"pg_catalog.string_agg({dictionary}, ', ' ORDER BY m.mapseqno) FROM pg_ts_config_map m "
        "JOIN pg_ts_config c ON c.oid = m.mapcfg JOIN pg_ts_dict d ON d.oid = m.mapdict JOIN "
        "pg_namespace n ON n.oid = d.dictnamespace WHERE m.mapcfg >= 16384 GROUP BY 1, 2, "
        "m.maptokentype ORDER BY 1, m.maptokentype"
    ):
        mappings.setdefault(str(config), []).append(f"ADD MAPPING FOR {token} WITH {names}")
    parser = _NAME.format(n="pn", column="p.prsname")
    for number, name, of in server.rows(
        f"SELECT c.oid, {_NAME.format(n='n', column='c.cfgname')}, {parser} FROM pg_ts_config c "
        "JOIN pg_namespace n ON n.oid = c.cfgnamespace JOIN pg_ts_parser p ON p.oid = c.cfgparser "
        f"JOIN pg_namespace pn ON pn.oid = p.prsnamespace WHERE {OWN} ORDER BY 2"
    ):
        if dependencies.is_of_extension("pg_ts_config", number):
            continue
        made = [f"CREATE TEXT SEARCH CONFIGURATION {name} (PARSER = {of})"]
        made += [
            f"ALTER TEXT SEARCH CONFIGURATION {name} {words}"
            for words in mappings.get(str(number), [])
        ]
        yield DbObject("text search", str(name), [("pg_ts_config", int(number or 0))], made)


def foreign_servers(server: Server, dependencies: Dependencies) -> Iterator[DbObject]:
    """Yield the wrappers, servers and user mappings of foreign data; no passwords that the
    server does not show.
    """
    for number, name, handler, validator, given in server.rows(
        "SELECT f.oid, f.fdwname, NULLIF(f.fdwhandler, 0)::regproc, "
        f"NULLIF(f.fdwvalidator, 0)::regproc, {FOREIGN_OPTIONS.format(of='f.fdwoptions')} FROM "
        "pg_foreign_data_wrapper f ORDER BY 2"
    ):
        if not dependencies.is_of_extension("pg_foreign_data_wrapper", number):
            made = f"CREATE FOREIGN DATA WRAPPER {quote_name(str(name))}"
            made += f" HANDLER {handler}" if handler else ""
            made += f" VALIDATOR {validator}" if validator else ""
            key = ("pg_foreign_data_wrapper", int(number or 0))
            yield DbObject("foreign", f"0 {name}", [key], [f"{made}{given}"])
    mapped: dict[str, list[tuple[str, str]]] = {}
    for of, user, given in server.rows(
        "SELECT m.srvid, CASE WHEN m.umuser = 0 THEN 'PUBLIC' ELSE "
        "pg_catalog.quote_ident(m.usename) END, "
        f"{FOREIGN_OPTIONS.format(of='m.umoptions')} FROM pg_user_mappings m ORDER BY 1, 2"
    ):
        mapped.setdefault(str(of), []).append((str(user), str(given)))
    for number, name, of, kind, version, given in server.rows(
        "SELECT s.oid, s.srvname, f.fdwname, pg_catalog.quote_literal(s.srvtype), "
        f"pg_catalog.quote_literal(s.srvversion), {FOREIGN_OPTIONS.format(of='s.srvoptions')} FROM "
        "pg_foreign_server s JOIN pg_foreign_data_wrapper f ON f.oid = s.srvfdw ORDER BY 2"
    ):
        if dependencies.is_of_extension("pg_foreign_server", number):
            continue
        called = quote_name(str(name))
        made = f"CREATE SERVER {called}"
        made += f" TYPE {kind}" if kind else ""
        made += f" VERSION {version}" if version else ""
        made += f" FOREIGN DATA WRAPPER {quote_name(str(of))}{given}"
        users = [
            f"CREATE USER MAPPING FOR {user} SERVER {called}{more}"
            for user, more in mapped.get(str(number), [])
        ]
        key = ("pg_foreign_server", int(number or 0))
        yield DbObject("foreign", f"1 {name}", [key], [made, *users])
