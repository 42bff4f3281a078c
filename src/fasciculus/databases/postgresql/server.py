"""A PostgreSQL server through psycopg, giving values as the server writes them."""

from __future__ import annotations

import os
import re
from collections.abc import Generator, Iterable, Iterator, Sequence
from contextlib import ExitStack, closing, contextmanager, suppress
from typing import Any, Literal

import psycopg
from psycopg import pq
from pydantic import Field, field_validator

from ...core.dump.postgresql.server import Lines
from ...core.dump.postgresql.snapshot import LARGE
from ...core.errors import FasciculusError, StatementError, UnreachableError
from ...fields import absolute_folder
from ...kinds import Settings
from ..base import DatabaseAccess, DatabaseHost, ServerSpec
from .bridge import bridged
from .copying import copied

_CONNECT_TIMEOUT = 15
#: Errors that are no fault of one statement: resources, shutting down, system errors.
_OF_THE_SERVER = ("53", "57P", "58", "08")
_SIGN_IN = ("28000", "28P01")
#: What a session must not inherit from the server's configuration or the user's settings.
_SESSION = (
    "SET statement_timeout = 0",
    "SET idle_in_transaction_session_timeout = 0",
    "SET default_transaction_read_only = off",
    "SET standard_conforming_strings = on",
    "SET bytea_output = 'hex'",
    "SET DateStyle = 'ISO, MDY'",
    "SET IntervalStyle = 'postgres'",
    "SET TimeZone = 'UTC'",
    "SET lc_monetary = 'C'",
    "SET lc_messages = 'C'",
    "SET extra_float_digits = 3",
    "SET quote_all_identifiers = off",
    "SET client_min_messages = warning",
)
_TABLE = re.compile(r"permission denied for (\w+(?: \w+)?) (\S+)")


class PostgreSqlSettings(Settings):
    """A server reached by the folder of its Unix socket, or by an address and port."""

    kind: Literal["postgresql"] = "postgresql"
    socket: str = Field(
        default="",
        title="Folder of the socket",
        description="Or an address, below.",
        examples=["/run/postgresql"],
    )
    address: str = Field(default="", title="Address", examples=["127.0.0.1"])
    port: int = Field(default=5432, ge=1, le=65535, title="Port")
    user: str = Field(default="", title="User", examples=["fasciculus"])
    restore_user: str = Field(
        default="",
        title="User for restoring",
        description="If another: one that may create databases and roles.",
        examples=["fasciculus_restore"],
    )
    connections: int = Field(
        default=0,
        ge=0,
        le=8,
        title="Connections for large databases",
        description="They read one snapshot side by side. 0 is one for two cores here, at most 4.",
    )

    @field_validator("socket")
    @classmethod
    def _absolute(cls, value: str) -> str:
        return absolute_folder(value) if value.strip() else ""

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        return self.socket or f"{self.address or '127.0.0.1'}:{self.port}"


class PostgreSqlConnection:
    """One connection to one database; closed by :func:`connect`."""

    def __init__(self, spec: ServerSpec, database: str, folder: str) -> None:
        settings = spec.settings
        assert isinstance(settings, PostgreSqlSettings)
        self._where = settings.describe()
        try:
            self._connection = psycopg.connect(
                host=folder or settings.socket or settings.address or "127.0.0.1",
                port=settings.port,
                user=settings.user or "postgres",
                password=spec.secrets.get("password") or None,
                dbname=database,
                autocommit=True,
                connect_timeout=_CONNECT_TIMEOUT,
                application_name="fasciculus",
                client_encoding="UTF8",
                # Nothing comes from files and settings of whoever runs the service.
                passfile="/nonexistent",
                service=None,
                sslmode="prefer" if settings.address else "disable",
                gssencmode="disable",
            )
        except psycopg.Error as error:
            raise self._not_connected(error, database) from error
        self.version = self._connection.info.server_version
        self._settle()

    def _settle(self) -> None:
        """Give the session known settings, whatever the configuration of server and user says."""
        for words in _SESSION:
            # Older servers lack some.
            with suppress(psycopg.Error):
                self._connection.execute(words.encode())
        encoding = self._connection.info.parameter_status("server_encoding")
        if encoding == "SQL_ASCII":
            self._connection.execute(b"SET client_encoding = 'SQL_ASCII'")

    def _not_connected(self, error: psycopg.Error, database: str) -> FasciculusError:
        said = " ".join(str(error).split())
        if error.sqlstate in _SIGN_IN or "authentication failed" in said:
            return UnreachableError(
                f"The database server at {self._where} refused the sign-in.",
                "Correct the user and password of the host's database server, and look at its "
                "pg_hba.conf.",
            )
        if f'database "{database}" does not exist' in said:
            return FasciculusError(
                f"There is no database “{database}” on this server.",
                "Correct its name, or create it.",
            )
        if "permission denied for database" in said:
            return FasciculusError(
                f"The database user may not connect to {database}.",
                f'Give it: GRANT CONNECT ON DATABASE "{database}" TO the database user;',
            )
        return UnreachableError(
            f"The database server at {self._where} does not answer: {said[:300]}.",
            "Is it running? Is its socket or address right?",
        )

    def _told(self, error: psycopg.Error) -> FasciculusError:
        code, said = error.sqlstate or "", " ".join(str(error).split())
        if not code or self._connection.closed:
            return UnreachableError(
                f"The database server at {self._where} closed the connection: {said[:300]}.",
                "Look into its log.",
            )
        if code == "42501":
            found = _TABLE.search(said)
            what = f" on {found[1]} {found[2]}" if found else ""
            return StatementError(
                f"The database server at {self._where} refused: {said}.",
                f"Give the database user that right{what} (GRANT).",
            )
        kind = UnreachableError if code.startswith(_OF_THE_SERVER) else StatementError
        return kind(
            f"The database server at {self._where} refused: {said}.",
            "Its message says what to correct.",
        )

    @contextmanager
    def _said(self) -> Iterator[None]:
        try:
            yield
        except psycopg.Error as error:
            raise self._told(error) from error
        except (ValueError, LookupError, TypeError, AssertionError) as error:
            raise UnreachableError(
                f"The database server at {self._where} sent something that is not understood "
                f"({type(error).__name__}: {error}).",
                "Look whether that is the right server.",
            ) from error

    def rows(self, sql: str, *values: str) -> Sequence[Sequence[str | None]]:
        """Return the rows of a statement, none if it has no result."""
        with self._said():
            cursor = self._connection.execute(
                sql.encode("utf-8", "surrogateescape"), values or None
            )
            result = cursor.pgresult
            if result is None or result.status != pq.ExecStatus.TUPLES_OK:
                return []
            columns = range(result.nfields)
            return [
                [_decoded(result.get_value(row, column)) for column in columns]
                for row in range(result.ntuples)
            ]

    def copy_out(self, sql: str) -> Generator[Lines, None, None]:
        """Yield the lines of a ``COPY … TO STDOUT``, some at a time."""
        with self._said(), closing(copied(self._connection, sql)) as found:
            yield from found

    def execute(self, statement: bytes) -> None:
        """Execute a statement, whatever it returns."""
        with self._said():
            self._connection.execute(statement)

    def copy_in(self, statement: bytes, rows: bytes) -> None:
        """Execute a ``COPY … FROM stdin`` with its rows."""
        with self._said():
            cursor = self._connection.cursor()
            with cursor.copy(statement) as copy:
                copy.write(rows)

    def copy_lines(self, statement: str, lines: Iterable[Lines]) -> None:
        """Execute a ``COPY … FROM stdin`` with rows from elsewhere."""
        with self._said():
            cursor = self._connection.cursor()
            with cursor.copy(statement.encode("utf-8", "surrogateescape")) as copy:
                for some in lines:
                    copy.write(b"".join(some))

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        # A dump that was stopped must not first read the rest of a large table.
        with suppress(Exception):
            if self._connection.info.transaction_status == pq.TransactionStatus.ACTIVE:
                self._connection.cancel()
        with suppress(Exception):
            self._connection.close()


def _decoded(value: bytes | None) -> str | None:
    return None if value is None else value.decode("utf-8", "surrogateescape")


@contextmanager
def connect(spec: ServerSpec, host: DatabaseHost, database: str) -> Iterator[PostgreSqlConnection]:
    """Provide a connection for the time of the ``with`` block, by way of the host."""
    settings = spec.settings
    assert isinstance(settings, PostgreSqlSettings)
    socket = f"{settings.socket}/.s.PGSQL.{settings.port}" if settings.socket else ""
    link: Any = host.dial(socket, settings.address or "127.0.0.1", settings.port)
    with ExitStack() as stack:
        folder = stack.enter_context(bridged(link, settings.port)) if link is not None else ""
        server = PostgreSqlConnection(spec, database, folder)
        try:
            yield server
        finally:
            server.close()


@contextmanager
def opened(access: DatabaseAccess, database: str = "postgres") -> Iterator[PostgreSqlConnection]:
    """Provide a connection to a database of a host. Raises an error if it has no server."""
    if access.server is None:
        raise FasciculusError(
            "The host has no PostgreSQL server set.",
            "Give its socket or address in the host's settings.",
        )
    with connect(access.server, access.host, database) as server:
        yield server


def further(
    stack: ExitStack, access: DatabaseAccess, server: PostgreSqlConnection, database: str
) -> Iterator[PostgreSqlConnection]:
    """Yield further connections to a large database, as many as its server's settings say.

    A server that takes fewer gives fewer; ``stack`` closes them.
    """
    assert access.server is not None
    settings = access.server.settings
    assert isinstance(settings, PostgreSqlSettings)
    ((size,),) = server.rows("SELECT pg_catalog.pg_database_size(pg_catalog.current_database())")
    if int(size or 0) < LARGE:
        return
    count = settings.connections or min(4, (os.cpu_count() or 1) // 2)
    with suppress(FasciculusError):
        for _ in range(count - 1):
            yield stack.enter_context(opened(access, database))
