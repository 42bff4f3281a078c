"""Users and roles of a MariaDB or MySQL server, with their rights, as statements."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from ...errors import FasciculusError, StatementError
from ..sql.members import Member, text
from ..sql.server import Server
from . import privileges
from .dialect import LOADING_USER, SETTINGS, USERS, sql_text
from .literals import quote_name
from .statements import written

User = tuple[str, str]
_MEMBERSHIP = re.compile(r"GRANT (`(?:[^`]|``)*`) TO (.*?)( WITH ADMIN OPTION)?$", re.DOTALL)
_DEFAULT = re.compile(r"SET DEFAULT ROLE (`(?:[^`]|``)*`) FOR ")
_NOBODY = ("no such grant", "can't find any matching row", "there is no such grant")


def database_users(server: Server, database: str, notes: list[str]) -> Iterator[Member]:
    """Yield the users that have rights on the database, themselves or by a role, with
    those rights.
    """
    try:
        named = _named(server, database)
        roles = _with_members(server, {name for name, host in named if not host})
        members = [
            member
            for role in roles
            for member in _members(server, role)
            if not _may_all(_grants(server, _who(member)))
        ]
        users = sorted({user for user in [*named, *members] if user[1]})
        lines = [*_roles(server, roles, database), *_users(server, users, database, roles)]
    except FasciculusError as error:
        notes.append(
            f"database {database}: its users and their rights are not kept: {error.sentence()}"
        )
        return
    if lines:
        yield Member(USERS, SETTINGS + b"".join(lines))


def every_user(server: Server) -> bytes:
    """Statements that make all roles and users of a server again, with all their rights."""
    names = [
        (text(row[0]), text(row[1]))
        for row in server.rows(
            "SELECT user, host FROM mysql.user WHERE user <> '' AND user <> 'mariadb.sys' "
            "ORDER BY 1, 2"
        )
    ]
    names = [name for name in names if not name[0].startswith(LOADING_USER)]
    roles = [name for name, host in names if not host]
    users = [user for user in names if user[1]]
    return SETTINGS + b"".join([*_roles(server, roles), *_users(server, users, "", roles)])


def _named(server: Server, database: str) -> list[User]:
    """Return the users and roles (without a host) that the rights on a database name."""
    found = {
        (text(row[0]), text(row[1]))
        for row in server.rows(
            "SELECT user, host, db FROM mysql.db UNION SELECT user, host, db FROM "
            "mysql.tables_priv "
            "UNION SELECT user, host, db FROM mysql.columns_priv UNION "
            "SELECT user, host, db FROM mysql.procs_priv"
        )
        if row[0] and not text(row[0]).startswith(LOADING_USER)
    }
    return [
        (name, host)
        for name, host in sorted(found)
        if privileges.grants_on(_grants(server, _who((name, host))), database)
    ]


def _who(user: User) -> str:
    """Return a user or, without a host, a role, as statements name it."""
    name, host = user
    return f"{sql_text(name)}@{sql_text(host)}" if host else quote_name(name)


def _grants(server: Server, who: str) -> list[str]:
    """Return the output of ``SHOW GRANTS``; nothing for an unknown user."""
    try:
        return [text(row[0]) for row in server.rows(f"SHOW GRANTS FOR {who}")]
    except FasciculusError as error:
        if any(words in error.message.lower() for words in _NOBODY):
            return []
        raise


def _may_all(granted: Iterable[str]) -> bool:
    return any(line.startswith("GRANT ALL PRIVILEGES ON *.*") for line in granted)


def _members(server: Server, role: str) -> list[User]:
    """Return the users and roles that have a role; none where the server knows no such table."""
    try:
        rows = server.rows("SELECT user, host FROM mysql.roles_mapping WHERE role=%s", role)
    except StatementError:
        return []
    return sorted((text(row[0]), text(row[1])) for row in rows)


def _with_members(server: Server, roles: Iterable[str]) -> list[str]:
    """Return the roles, and those that have one of them, however many are in between."""
    found, left = set(roles), list(roles)
    while left:
        for name, host in _members(server, left.pop()):
            if not host and name not in found:
                found.add(name)
                left.append(name)
    return sorted(found)


def _roles(server: Server, roles: Sequence[str], database: str = "") -> list[bytes]:
    """Return all roles first, then their rights: one may be a member of another."""
    lines = [written(f"CREATE ROLE IF NOT EXISTS {quote_name(role)}".encode()) for role in roles]
    for role in roles:
        own = f" TO {quote_name(role)}"
        # Those of roles that it has are shown as well.
        granted = [
            line
            for line in _grants(server, quote_name(role))
            if line.endswith((own, f"{own} WITH GRANT OPTION", f"{own} WITH ADMIN OPTION"))
        ]
        lines += [written(line.encode()) for line in _wanted(granted, database, roles)]
    return lines


def _users(
    server: Server, names: Sequence[User], database: str, roles: Sequence[str]
) -> list[bytes]:
    """Statements that make users again with their rights on a database, or with all of them."""
    lines: list[bytes] = []
    for user in names:
        who = _who(user)
        wanted = _wanted(_grants(server, who), database, roles)
        if not wanted:
            continue
        made = text(server.rows(f"SHOW CREATE USER {who}")[0][0])
        made = re.sub(r"^CREATE USER ", "CREATE USER IF NOT EXISTS ", made)
        lines.append(written(made.encode()))
        # The password belongs to the user, not to a grant.
        lines += [
            written(re.sub(r" IDENTIFIED BY PASSWORD '[^']*'", "", line).encode())
            for line in wanted
        ]
    return lines


def _wanted(granted: Sequence[str], database: str, roles: Iterable[str]) -> list[str]:
    """Return the rights on a database, with memberships in the roles that have some; or all rights.

    A default role is set after the role was given.
    """
    if not database:
        return sorted(granted, key=lambda line: line.startswith("SET DEFAULT"))
    quoted = {quote_name(role) for role in roles}
    given = [m[0] for line in granted if (m := _MEMBERSHIP.match(line)) and m[1] in quoted]
    default = [line for line in granted if (m := _DEFAULT.match(line)) and m[1] in quoted]
    return [*privileges.grants_on(granted, database), *given, *default]
