"""A MariaDB or MySQL server through PyMySQL, giving rows as bytes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import Any, cast

import pymysql
from pymysql.constants import ER
from pymysql.cursors import Cursor, SSCursor

from ..core.errors import Trouble, Unreachable
from .base import MariaDbSpec

_CONNECT_TIMEOUT = 15
_LONG = 24 * 3600


class MariaDb:
    """One connection; closed by :func:`connect`."""

    def __init__(self, spec: MariaDbSpec, link: Any = None) -> None:
        self._where = spec.where
        self._connection = pymysql.connect(
            unix_socket=spec.socket or None, host=spec.address or None, port=spec.port,
            user=spec.user, password=spec.password, charset="utf8mb4", use_unicode=False,
            conv={}, connect_timeout=_CONNECT_TIMEOUT, read_timeout=_LONG,
            write_timeout=_LONG, autocommit=True, local_infile=False, defer_connect=True,
        )
        try:
            self._connection.connect(link)
        except pymysql.err.OperationalError as error:
            raise self._told(error) from error

    def _told(self, error: pymysql.err.MySQLError) -> Trouble:
        code = error.args[0] if error.args else 0
        text = error.args[1] if len(error.args) > 1 else str(error)
        if code == ER.ACCESS_DENIED_ERROR:
            return Unreachable(f"The database server at {self._where} refused the sign-in.",
                               "Correct the user and password of the host's database server.")
        if code in (2003, 2002):
            return Unreachable(f"The database server at {self._where} does not answer.",
                               "Is it running? Is its socket or address right?")
        if code in (2006, 2013, 2014) or code == 0:
            return Unreachable(f"The database server at {self._where} broke the connection off.",
                               "Look into its error log.")
        return Unreachable(f"The database server at {self._where} refused: {text}.",
                           "Check the database user's rights (GRANT).")

    @contextmanager
    def _said(self) -> Iterator[None]:
        try:
            yield
        except pymysql.err.MySQLError as error:
            raise self._told(error) from error

    def rows(self, sql: str, *values: str) -> Sequence[Sequence[bytes | None]]:
        with self._said(), self._connection.cursor(Cursor) as cursor:
            cursor.execute(sql, values or None)
            return cursor.fetchall()

    def stream(self, sql: str) -> Iterator[bytes | None]:
        with self._said():
            cursor = self._connection.cursor(SSCursor)
            cursor.execute(sql)
            for row in cursor.fetchall_unbuffered():
                yield row[0]
            cursor.close()

    def execute(self, statement: bytes) -> None:
        with self._said(), self._connection.cursor(Cursor) as cursor:
            cursor.execute(cast(str, statement))

    def close(self) -> None:
        # A dump that was broken off must not first drain the rest of a large table.
        cast(Any, self._connection)._force_close()


@contextmanager
def connect(spec: MariaDbSpec, link: Any = None) -> Iterator[MariaDb]:
    """A connection for the time of the ``with`` block, over ``link`` where it is not made here."""
    server = MariaDb(spec, link)
    try:
        yield server
    finally:
        server.close()
