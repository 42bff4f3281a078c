"""A role for loading one database, created before and dropped after.

Whatever a dump contains, the server lets its statements reach only the target database: neither the
text nor its author needs to be trusted.
"""

from __future__ import annotations

import secrets
from collections.abc import Iterator
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

    ``admin`` is a connection to that database. Afterwards everything belongs to the user of
    ``admin``. Raises ``SettingError`` if that user may not create roles.
    """
    assert access.server is not None
    _drop_old(admin)
    role = f"{LOADING_ROLE}{datetime.now(UTC):%Y%m%d}_{secrets.token_hex(4)}"
    password = secrets.token_urlsafe(24)
    ((owner,),) = admin.rows("SELECT current_user")
    try:
        _create(admin, role, password, database)
        settings = access.server.settings
        assert isinstance(settings, PostgreSqlSettings)
        own = settings.model_copy(update={"user": role})
        with connect(ServerSpec(own, {"password": password}), access.host, database) as server:
            yield server
    finally:
        _hand_over(admin, role, database, str(owner))


def _create(admin: PostgreSqlConnection, role: str, password: str, database: str) -> None:
    name = quote_name(role)
    try:
        admin.rows(
            f"CREATE ROLE {name} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE PASSWORD "
            f"{sql_text(password)}"
        )
        with suppress(StatementError):
            # Only a superuser may give a database to others without being one of them.
            admin.rows(f"GRANT {name} TO CURRENT_USER")
        admin.rows(f"ALTER DATABASE {quote_name(database)} OWNER TO {name}")
        with suppress(StatementError):
            admin.rows(f"ALTER SCHEMA public OWNER TO {name}")
    except StatementError as error:
        raise SettingError(
            "The database user for restoring may not create the role that loads a dump.",
            f"{error.hint} “hosts try” shows the statement that gives all that restoring needs.",
            field="databases",
        ) from error


def _hand_over(admin: PostgreSqlConnection, role: str, database: str, owner: str) -> None:
    name = quote_name(role)
    with suppress(FasciculusError):
        admin.rows(f"REASSIGN OWNED BY {name} TO {quote_name(owner)}")
    with suppress(FasciculusError):
        admin.rows(f"ALTER DATABASE {quote_name(database)} OWNER TO {quote_name(owner)}")
    with suppress(FasciculusError):
        admin.rows(f"DROP OWNED BY {name}")
    with suppress(FasciculusError):
        admin.rows(f"DROP ROLE IF EXISTS {name}")


def _drop_old(admin: PostgreSqlConnection) -> None:
    """Drop the roles of restores that were killed, which are days old and own nothing here."""
    oldest = f"{LOADING_ROLE}{datetime.now(UTC) - _KEPT:%Y%m%d}"
    for (name,) in admin.rows(
        "SELECT rolname FROM pg_catalog.pg_roles WHERE rolname LIKE %s", f"{LOADING_ROLE}%"
    ):
        if str(name) < oldest:
            with suppress(StatementError):
                admin.rows(f"DROP ROLE {quote_name(str(name))}")
