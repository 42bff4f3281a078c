"""A user for loading one database, made before and dropped after.

Whatever a dump contains, the server lets its statements reach only the target database: neither the
text nor its author needs to be trusted.
"""

from __future__ import annotations

import re
import secrets
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta

from ...core.dump.mariadb.dialect import LOADING_USER, sql_text
from ...core.dump.mariadb.literals import quote_name
from ...core.errors import SettingError, StatementError
from ..base import DatabaseAccess, ServerSpec
from .server import MariaDbConnection, MariaDbSettings, connect

_HOSTS = ("localhost", "%")
_KEPT = timedelta(days=2)
#: Names and texts of a statement, as the server shows them.
_QUOTED = re.compile(rb"'(?:[^'\\\\]|\\\\.|'')*'|`(?:[^`]|``)*`", re.S)
_OTHER_FOLDER = re.compile(rb"\b(?:DATA|INDEX) DIRECTORY\b", re.I)
#: What making things for other users needs, by the name that versions give it.
_FOR_DEFINERS = ("SET USER", "SET_USER_ID")


@contextmanager
def loading_user(
    access: DatabaseAccess, admin: MariaDbConnection, database: str, trusted: bool
) -> Iterator[MariaDbConnection]:
    """Give a connection that can change one database and nothing else.

    ``trusted`` says whether the dump may make programs and views that run as other users. Raises
    ``SettingError`` if the user of ``admin`` may not make users.
    """
    assert access.server is not None
    _drop_old(admin)
    name = f"{LOADING_USER}{datetime.now(UTC):%Y%m%d}-{secrets.token_hex(3)}"
    password = f"{secrets.token_urlsafe(24)}aA1!"
    users = [f"{sql_text(name)}@{sql_text(host)}" for host in _HOSTS]
    try:
        _make(admin, users, password, database, trusted)
        settings = access.server.settings
        assert isinstance(settings, MariaDbSettings)
        own = settings.model_copy(update={"user": name})
        with connect(ServerSpec(own, {"password": password}), access.host) as server:
            server.rows(f"USE {quote_name(database)}")
            yield server
    finally:
        for user in users:
            admin.rows(f"DROP USER IF EXISTS {user}")


def drop_tables_elsewhere(admin: MariaDbConnection, database: str) -> list[str]:
    """Drop the tables of a database that are in other folders of the server, and report them.

    The server lets everybody who may create a table choose a folder for it.
    """
    found = []
    for name, kind in admin.rows(
        "SELECT table_name, table_type FROM information_schema.tables WHERE table_schema=%s",
        database,
    ):
        table = (name or b"").decode()
        if kind == b"BASE TABLE" and _lies_elsewhere(admin, database, table):
            admin.rows("SET foreign_key_checks=0")
            admin.rows(f"DROP TABLE {quote_name(database)}.{quote_name(table)}")
            found.append(table)
    return found


def _lies_elsewhere(admin: MariaDbConnection, database: str, table: str) -> bool:
    where = f"{quote_name(database)}.{quote_name(table)}"
    shown = admin.rows(f"SHOW CREATE TABLE {where}")[0][1] or b""
    return _OTHER_FOLDER.search(_QUOTED.sub(b"''", shown)) is not None


def _make(
    admin: MariaDbConnection, users: list[str], password: str, database: str, trusted: bool
) -> None:
    # In a grant “_” and “%” stand for other letters.
    pattern = database.replace("\\", "\\\\").replace("_", "\\_").replace("%", "\\%")
    try:
        for user in users:
            admin.rows(f"CREATE USER {user} IDENTIFIED BY {sql_text(password)}")
            admin.rows(f"GRANT ALL PRIVILEGES ON {quote_name(pattern)}.* TO {user}")
    except StatementError as error:
        raise SettingError(
            "The database user for restoring may not make the user that loads a dump.",
            f"{error.hint} “hosts try” shows the statement that gives all that restoring needs.",
            field="databases",
        ) from error
    if trusted:
        for user in users:
            _let_define(admin, user)


def _let_define(admin: MariaDbConnection, user: str) -> None:
    for right in _FOR_DEFINERS:
        try:
            admin.rows(f"GRANT {right} ON *.* TO {user}")
        except StatementError:
            continue
        return


def _drop_old(admin: MariaDbConnection) -> None:
    """Drop the users of restores that were killed, which are days old."""
    oldest = f"{LOADING_USER}{datetime.now(UTC) - _KEPT:%Y%m%d}"
    try:
        rows = admin.rows(
            "SELECT user, host FROM mysql.user WHERE user LIKE %s", f"{LOADING_USER}%"
        )
        for user, host in rows:
            name = (user or b"").decode()
            if name < oldest:
                where = sql_text((host or b"").decode())
                admin.rows(f"DROP USER IF EXISTS {sql_text(name)}@{where}")
    except StatementError:
        # Who may not see users has left none.
        return
