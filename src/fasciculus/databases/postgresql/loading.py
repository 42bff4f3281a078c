"""A role for loading one database, created before and dropped after.

Whatever a dump contains, the server lets its statements reach only the target database: neither the
text nor its author needs to be trusted. The same holds for functions of customers that run when
rows are written: an administrator never writes rows.
"""

from __future__ import annotations

import secrets
from collections.abc import Collection, Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime, timedelta

from ...core.dump.postgresql.dialect import LOADING_ROLE, quote_name, sql_text
from ...core.errors import FasciculusError, SettingError, StatementError
from ..base import DatabaseAccess, ServerSpec
from .server import PostgreSqlConnection, PostgreSqlSettings, connect

_KEPT = timedelta(days=2)


@contextmanager
def loading_role(
    access: DatabaseAccess, admin: PostgreSqlConnection, database: str
) -> Iterator[PostgreSqlConnection]:
    """Give a connection that owns one database and can change nothing else.

    ``admin`` is a connection to that database. Afterwards the database and everything new in it
    belong to its owner. Raises ``SettingError`` if the user of ``admin`` may not create roles.
    """
    ((owner,),) = admin.rows(
        "SELECT pg_catalog.pg_get_userbyid(datdba) FROM pg_catalog.pg_database WHERE datname = "
        "pg_catalog.current_database()"
    )
    with _role(admin, database, str(owner)) as (role, password):
        admin.rows(f"ALTER DATABASE {quote_name(database)} OWNER TO {quote_name(role)}")
        with _connected(access, database, role, password) as server:
            yield server


@contextmanager
def acting_role(
    access: DatabaseAccess,
    admin: PostgreSqlConnection,
    database: str,
    owners: Collection[str],
    heir: str,
) -> Iterator[PostgreSqlConnection]:
    """Give a connection that may do what some owners may do in one database; what it creates
    belongs to ``heir``. Raises ``SettingError`` if an owner is a superuser.
    """
    for name in owners:
        if is_superuser(admin, name):
            raise SettingError(
                f"A table belongs to the superuser {name}: rows are never written as one.",
                "Restore the whole database, or give the table to the owner of the database.",
                field="tables",
            )
    with _role(admin, database, heir) as (role, password):
        called = quote_name(role)
        for name in owners:
            admin.rows(f"GRANT {quote_name(name)} TO {called}")
        admin.rows(f"GRANT CONNECT, CREATE ON DATABASE {quote_name(database)} TO {called}")
        with _connected(access, database, role, password) as server:
            yield server


def is_superuser(server: PostgreSqlConnection, name: str) -> bool:
    """Return whether a role is a superuser."""
    ((found,),) = server.rows("SELECT rolsuper FROM pg_catalog.pg_roles WHERE rolname = %s", name)
    return found == "t"


@contextmanager
def _role(admin: PostgreSqlConnection, database: str, heir: str) -> Iterator[tuple[str, str]]:
    """Create a role for a while; yield its name and password."""
    _drop_old(admin)
    role = f"{LOADING_ROLE}{datetime.now(UTC):%Y%m%d}_{secrets.token_hex(4)}"
    password = secrets.token_urlsafe(24)
    try:
        _create(admin, role, password)
        yield role, password
    finally:
        _hand_over(admin, role, database, heir)


@contextmanager
def _connected(
    access: DatabaseAccess, database: str, role: str, password: str
) -> Iterator[PostgreSqlConnection]:
    assert access.server is not None
    settings = access.server.settings
    assert isinstance(settings, PostgreSqlSettings)
    own = settings.model_copy(update={"user": role})
    with connect(ServerSpec(own, {"password": password}), access.host, database) as server:
        yield server


def _create(admin: PostgreSqlConnection, role: str, password: str) -> None:
    try:
        admin.rows(
            f"CREATE ROLE {quote_name(role)} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE PASSWORD "
            f"{sql_text(password)}"
        )
        with suppress(StatementError):
            # Only a superuser may give things to others without being one of them.
            admin.rows(f"GRANT {quote_name(role)} TO CURRENT_USER")
    except StatementError as error:
        raise SettingError(
            "The database user for restoring may not create the role that loads a dump.",
            f"{error.hint} “hosts try” shows the statement that gives all that restoring needs.",
            field="databases",
        ) from error


def _hand_over(admin: PostgreSqlConnection, role: str, database: str, heir: str) -> None:
    name, owner = quote_name(role), quote_name(heir)
    for words in (
        f"REASSIGN OWNED BY {name} TO {owner}",
        f"ALTER DATABASE {quote_name(database)} OWNER TO {owner}",
        f"DROP OWNED BY {name}",
        f"DROP ROLE IF EXISTS {name}",
    ):
        with suppress(FasciculusError):
            admin.rows(words)


def _drop_old(admin: PostgreSqlConnection) -> None:
    """Drop the roles of restores that were killed, which are days old and own nothing here."""
    oldest = f"{LOADING_ROLE}{datetime.now(UTC) - _KEPT:%Y%m%d}"
    for (name,) in admin.rows(
        "SELECT rolname FROM pg_catalog.pg_roles WHERE rolname LIKE %s", f"{LOADING_ROLE}%"
    ):
        if str(name) < oldest:
            with suppress(StatementError):
                admin.rows(f"DROP ROLE {quote_name(str(name))}")
