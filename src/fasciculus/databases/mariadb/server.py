"""A MariaDB or MySQL server through PyMySQL, giving rows as bytes."""

from __future__ import annotations

import io
import re
import struct
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from typing import Any, Literal, cast

import pymysql
from pydantic import Field, field_validator
from pymysql.constants import ER
from pymysql.cursors import Cursor, SSCursor

from ...core.dump.mariadb.packet_rows import PacketRows
from ...core.errors import FasciculusError, StatementError, UnreachableError
from ...fields import absolute_folder
from ...kinds import Settings
from ..base import DatabaseAccess, DatabaseHost, ServerSpec

_CONNECT_TIMEOUT = 15
_LONG = 24 * 3600
_BUFFER = 1024 * 1024
_LARGEST_PACKET = 0xFFFFFF
#: Errors that say that a right is missing.
_RIGHTS = (
    ER.DBACCESS_DENIED_ERROR,
    ER.TABLEACCESS_DENIED_ERROR,
    ER.COLUMNACCESS_DENIED_ERROR,
    ER.SPECIFIC_ACCESS_DENIED_ERROR,
    ER.PROCACCESS_DENIED_ERROR,
)
#: Errors that are no fault of one statement: shutting down, no disk, no memory, killed.
_OF_THE_SERVER = (1021, 1037, 1038, 1041, 1053, 1079, 1317, 1927)
_MOST = "18446744073709551615"
#: What a session must not inherit from the server's configuration: everything that bounds how much
#: a query returns, how long it may take, and what it sees. Servers know some of them.
_SESSION = {
    "sql_select_limit": _MOST,
    "max_join_size": _MOST,
    "sql_big_selects": "1",
    "sql_safe_updates": "0",
    "max_statement_time": "0",
    "max_execution_time": "0",
    "idle_transaction_timeout": "0",
    "idle_readonly_transaction_timeout": "0",
    "net_read_timeout": str(_LONG),
    "net_write_timeout": str(_LONG),
    "wait_timeout": str(_LONG),
    "lock_wait_timeout": "3600",
    "innodb_lock_wait_timeout": "600",
    "system_versioning_asof": "DEFAULT",
    "sql_if_exists": "0",
    "completion_type": "0",
    "tx_read_only": "0",
    "transaction_read_only": "0",
    "character_set_results": "utf8mb4",
    "character_set_client": "utf8mb4",
    "character_set_connection": "utf8mb4",
}
#: What the driver makes of packets that are none, and of a request for a local file.
_NOT_UNDERSTOOD = (
    RuntimeError,
    AssertionError,
    LookupError,
    ValueError,
    TypeError,
    AttributeError,
    struct.error,
)
_DENIED = re.compile(
    r"(?P<right>[A-Z ,]+?) command denied to user (?P<user>\S+) for (?:table|column) "
    r"(?P<table>\S+)|denied for user (?P<other>\S+) to database (?P<database>\S+)|"
    r"need \(at least one of\) the (?P<special>[A-Z ,]+) privilege"
)


class MariaDbSettings(Settings):
    """A server reached by a Unix socket, or by an address and port."""

    kind: Literal["mariadb"] = "mariadb"
    socket: str = Field(
        default="",
        title="Socket",
        description="Or an address and a port, below.",
        examples=["/run/mysqld/mysqld.sock"],
    )
    address: str = Field(default="", title="Address", examples=["127.0.0.1"])
    port: int = Field(default=3306, ge=1, le=65535, title="Port")
    user: str = Field(default="", title="User", examples=["fasciculus"])
    restore_user: str = Field(
        default="",
        title="User for restoring",
        description="If another: one that may change databases, while the first one only reads.",
        examples=["fasciculus-restore"],
    )

    @field_validator("socket")
    @classmethod
    def _absolute(cls, value: str) -> str:
        return absolute_folder(value) if value.strip() else ""

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        return self.socket or f"{self.address}:{self.port}"


class _Channel(io.RawIOBase):
    """Reads what arrived on a channel of SSH; the channel's own file waits for all of a request."""

    def __init__(self, source: Any) -> None:
        self._source = source

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        data = self._source.recv(len(buffer))
        buffer[: len(data)] = data
        return len(data)


class MariaDbConnection:
    """One connection; closed by :func:`connect`."""

    def __init__(self, spec: ServerSpec, link: Any = None) -> None:
        settings = spec.settings
        assert isinstance(settings, MariaDbSettings)
        self._where = settings.describe()
        self._connection = pymysql.connect(
            unix_socket=settings.socket or None,
            host=settings.address or None,
            port=settings.port,
            user=settings.user,
            password=spec.secrets.get("password", ""),
            charset="utf8mb4",
            use_unicode=False,
            conv={},
            connect_timeout=_CONNECT_TIMEOUT,
            read_timeout=_LONG,
            write_timeout=_LONG,
            autocommit=True,
            local_infile=False,
            # The driver would begin TLS wherever a server offers it, which a channel of SSH cannot
            # carry, and a socket of this machine does not need.
            ssl_disabled=link is not None or bool(settings.socket),
            defer_connect=True,
        )
        try:
            self._connection.connect(link)
            # Its own buffer of 8 KiB would ask the system for each few rows.
            inner = cast(Any, self._connection)
            sock = inner._sock
            inner._rfile = (
                sock.makefile("rb", _BUFFER)
                if link is None
                else io.BufferedReader(_Channel(sock), _BUFFER)
            )
        except pymysql.err.MySQLError as error:
            raise self._not_connected(error) from error
        except _NOT_UNDERSTOOD as error:
            raise self._odd(error) from error
        self._settle()

    def _settle(self) -> None:
        """Give the session known settings, whatever the server's configuration says."""
        for name, value in _SESSION.items():
            # Servers of other versions lack some; then they have no such bound either.
            with suppress(pymysql.err.MySQLError), self._connection.cursor(Cursor) as cursor:
                cursor.execute(f"SET SESSION {name}={value}")

    def _not_connected(self, error: pymysql.err.MySQLError) -> FasciculusError:
        # A statement may be refused by the same number, as one that writes a file.
        if error.args and error.args[0] == ER.ACCESS_DENIED_ERROR:
            return UnreachableError(
                f"The database server at {self._where} refused the sign-in.",
                "Correct the user and password of the host's database server.",
            )
        return self._told(error)

    def _told(self, error: pymysql.err.MySQLError) -> FasciculusError:
        code = error.args[0] if error.args else 0
        text = error.args[1] if len(error.args) > 1 else str(error)
        if code in (2003, 2002):
            return UnreachableError(
                f"The database server at {self._where} does not answer.",
                "Is it running? Is its socket or address right?",
            )
        if code in (2006, 2013, 2014) or code == 0:
            return UnreachableError(
                f"The database server at {self._where} closed the connection.",
                "Look into its error log.",
            )
        if code in _RIGHTS:
            return StatementError(
                f"The database server at {self._where} refused: {text}.", _grant(str(text))
            )
        if code == ER.TABLE_DEF_CHANGED:
            return StatementError(
                f"A table was changed while it was read: {text}.",
                "The next run reads it again; move the job away from updates.",
            )
        kind = UnreachableError if code in _OF_THE_SERVER else StatementError
        return kind(
            f"The database server at {self._where} refused: {text}.",
            "Its message says what to put right.",
        )

    @contextmanager
    def _said(self) -> Iterator[None]:
        try:
            yield
        except pymysql.err.MySQLError as error:
            raise self._told(error) from error
        except _NOT_UNDERSTOOD as error:
            raise self._odd(error) from error

    def _odd(self, error: Exception) -> UnreachableError:
        """Return the error for an answer that no honest server gives, such as asking for
        our files.
        """
        return UnreachableError(
            f"The database server at {self._where} sent something that is not understood "
            f"({type(error).__name__}: {error}).",
            "Look whether that is the right server.",
        )

    def rows(self, sql: str, *values: str) -> Sequence[Sequence[bytes | None]]:
        """Return the rows of a statement."""
        with self._said(), self._connection.cursor(Cursor) as cursor:
            cursor.execute(sql, values or None)
            return cursor.fetchall()

    def stream(self, sql: str) -> Iterator[Sequence[bytes | None]]:
        """Yield the rows of a statement as they arrive."""
        with self._unbuffered(sql) as cursor:
            if cast(Any, cursor)._result.field_count == 1:
                yield from self._packets()
            else:
                yield from cursor.fetchall_unbuffered()

    def members(self, sql: str, packets: PacketRows) -> Iterator[bytes]:
        """Yield the members that the packets of a statement's rows are made into."""
        link = cast(Any, self._connection)
        with self._unbuffered(sql):
            while not packets.ended:
                yield from packets.feed(self._arrived(link._rfile.read1(_BUFFER)))
            last = bytes(packets.left)
            link._next_seq_id = (last[3] + 1) % 256
            if last[4:5] == b"\xff":
                pymysql.err.raise_mysql_exception(last[4:])
            if last[4:5] != b"\xfe" or len(last) > 4 + 5:
                raise ValueError("a result does not end where it says")

    @contextmanager
    def _unbuffered(self, sql: str) -> Iterator[SSCursor]:
        """Execute a statement whose rows are taken as they arrive."""
        with self._said():
            cursor = self._connection.cursor(SSCursor)
            cursor.execute(sql)
            result = cast(Any, cursor)._result
            try:
                yield cursor
            finally:
                # A stream that is broken off is followed by the connection's end, not by
                # draining it.
                result.unbuffered_active, result.connection = False, None
            cursor.close()

    @staticmethod
    def _arrived(data: bytes, count: int = 1) -> bytes:
        if len(data) < count:
            raise pymysql.err.OperationalError(2013, "Lost connection during query")
        return data

    def _packets(self) -> Iterator[tuple[bytes | None]]:
        """Yield the rows of a result of one column, straight out of the server's packets.

        Text protocol of the MySQL client/server protocol: a row is one length-encoded string.
        Taking packets apart in the driver's general way takes several times as long as this.
        """
        link = cast(Any, self._connection)
        read = link._rfile.read
        while True:
            data = b""
            while True:
                head = self._arrived(read(4), 4)
                length = head[0] | head[1] << 8 | head[2] << 16
                part = self._arrived(read(length), length)
                data = data + part if data else part
                if length < _LARGEST_PACKET:
                    break
            link._next_seq_id = (head[3] + 1) % 256
            first = data[0]
            if first < 0xFB:
                yield (data[1:],)
            elif first == 0xFE and len(data) < 9:
                return
            elif first == 0xFF:
                pymysql.err.raise_mysql_exception(data)
            else:
                # NULL, or a length of two, three or eight bytes before the value.
                yield (None if first == 0xFB else data[{0xFC: 3, 0xFD: 4, 0xFE: 9}[first] :],)

    def execute(self, statement: bytes) -> None:
        """Execute a statement."""
        with self._said(), self._connection.cursor(Cursor) as cursor:
            cursor.execute(cast(str, statement))

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        # A dump that was broken off must not first drain the rest of a large table.
        cast(Any, self._connection)._force_close()


def _grant(text: str) -> str:
    """Return the GRANT statement for the right that an error reports as missing."""
    match = _DENIED.search(text)
    if match and match["right"]:
        table = match["table"]
        where = table if "." in table else f"DATABASE.{table}"
        return f"Give it: GRANT {match['right'].strip()} ON {where} TO {match['user']};"
    if match and match["database"]:
        return (
            f"Give it: GRANT SELECT, SHOW VIEW, TRIGGER, EVENT ON "
            f"`{match['database'].strip(chr(39))}`.* TO {match['other']};"
        )
    if match:
        return (
            f"Give it: GRANT {match['special'].split(',')[0].strip()} ON *.* TO the database user;"
        )
    return "Give the database user that right (GRANT)."


@contextmanager
def connect(spec: ServerSpec, host: DatabaseHost) -> Iterator[MariaDbConnection]:
    """Provide a connection for the time of the ``with`` block, by way of the host."""
    settings = spec.settings
    assert isinstance(settings, MariaDbSettings)
    link = host.dial(settings.socket, settings.address or "127.0.0.1", settings.port)
    server = MariaDbConnection(spec, link)
    try:
        yield server
    finally:
        server.close()


@contextmanager
def opened(access: DatabaseAccess) -> Iterator[MariaDbConnection]:
    """Provide a connection to the server of a host. Raises an error if it has none."""
    if access.server is None:
        raise FasciculusError(
            "The host has no MariaDB server set.",
            "Give its socket or address in the host's settings.",
        )
    with connect(access.server, access.host) as server:
        yield server
