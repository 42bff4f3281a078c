"""Roles of a server: their attributes, passwords if they may be read, and memberships."""

from __future__ import annotations

from collections.abc import Collection, Iterator

from .dialect import block, quote_name, setting, sql_text
from .server import Server

_ATTRIBUTES = {
    "rolsuper": ("SUPERUSER", "NOSUPERUSER"),
    "rolinherit": ("INHERIT", "NOINHERIT"),
    "rolcreaterole": ("CREATEROLE", "NOCREATEROLE"),
    "rolcreatedb": ("CREATEDB", "NOCREATEDB"),
    "rolcanlogin": ("LOGIN", "NOLOGIN"),
    "rolreplication": ("REPLICATION", "NOREPLICATION"),
    "rolbypassrls": ("BYPASSRLS", "NOBYPASSRLS"),
}


def roles(server: Server, wanted: Collection[str] | None, notes: list[str]) -> Iterator[str]:
    """Yield the statements that create roles which do not exist; all of them if ``wanted`` is
    None, otherwise these and those that they are members of.
    """
    members = _memberships(server)
    chosen = None if wanted is None else _with_groups(wanted, members)
    catalog, password = "pg_authid", "rolpassword"
    if not _may_read_passwords(server):
        catalog, password = "pg_roles", "NULL"
        notes.append(
            "passwords of roles are not in the bundle: only a superuser may read them "
            "(ALTER ROLE … SUPERUSER)"
        )
    columns = ", ".join(_ATTRIBUTES)
    for name, secret, limit, until, *flags in server.rows(
        f"SELECT rolname, {password}, rolconnlimit, rolvaliduntil, {columns} FROM {catalog} WHERE "
        "oid >= 16384 ORDER BY 1"
    ):
        if chosen is not None and str(name) not in chosen:
            continue
        words = [pair[flag != "t"] for pair, flag in zip(_ATTRIBUTES.values(), flags, strict=True)]
        words += [f"CONNECTION LIMIT {limit}"] if limit != "-1" else []
        words += [f"PASSWORD {sql_text(secret)}"] if secret else []
        words += [f"VALID UNTIL {sql_text(until)}"] if until else []
        yield _if_missing(str(name), f"CREATE ROLE {quote_name(str(name))} WITH {' '.join(words)}")
    for group, member, admin in members:
        if chosen is None or member in chosen:
            more = " WITH ADMIN OPTION" if admin else ""
            yield f"GRANT {quote_name(group)} TO {quote_name(member)}{more}"
    for name, given in server.rows(
        "SELECT a.rolname, unnest(s.setconfig) FROM pg_db_role_setting s JOIN pg_roles a ON "
        "a.oid = s.setrole WHERE s.setdatabase = 0 ORDER BY 1, 2"
    ):
        if chosen is None or str(name) in chosen:
            yield f"ALTER ROLE {quote_name(str(name))} SET {setting(str(given))}"


def _may_read_passwords(server: Server) -> bool:
    ((allowed,),) = server.rows("SELECT pg_catalog.has_table_privilege('pg_authid', 'SELECT')")
    return allowed == "t"


def _memberships(server: Server) -> list[tuple[str, str, bool]]:
    """Return groups with their members, and whether these may add others."""
    return [
        (str(group), str(member), admin == "t")
        for group, member, admin in server.rows(
            "SELECT DISTINCT pg_catalog.pg_get_userbyid(roleid), "
            "pg_catalog.pg_get_userbyid(member), admin_option FROM pg_auth_members WHERE member >= "
            "16384 ORDER BY 1, 2"
        )
    ]


def _with_groups(names: Collection[str], members: list[tuple[str, str, bool]]) -> set[str]:
    found, new = set(names), set(names)
    while new:
        new = {group for group, member, _ in members if member in new} - found
        found |= new
    return found


def _if_missing(name: str, statement: str) -> str:
    known = f"SELECT FROM pg_catalog.pg_roles WHERE rolname = {sql_text(name)}"
    return block(f"IF NOT EXISTS ({known}) THEN {statement}; END IF;")
