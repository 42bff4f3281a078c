"""Rows of ``COPY … TO STDOUT``, many at a time: asking the driver for each takes longer than it."""

from __future__ import annotations

import select
from collections.abc import Generator
from contextlib import suppress
from typing import Any

import psycopg
from psycopg import pq

from ...core.dump.postgresql.server import Lines

_ROWS = 512
#: Seconds for which a server may take to cancel.
_CANCELLING = 5.0


def copied(connection: psycopg.Connection[Any], sql: str) -> Generator[Lines, None, None]:
    """Yield the lines that a statement sends. Raises the driver's errors.

    A generator that is closed early cancels the statement.
    """
    link = connection.pgconn
    arrived = select.poll()
    arrived.register(link.socket, select.POLLIN)
    link.send_query(sql.encode("utf-8", "surrogateescape"))
    leaves = select.poll()
    leaves.register(link.socket, select.POLLOUT)
    while link.flush():
        leaves.poll()
    _wait(link, arrived)
    result = link.get_result()
    if result is None or result.status != pq.ExecStatus.COPY_OUT:
        _end(connection, arrived, result)
        return
    try:
        yield from _batches(link, arrived)
    except GeneratorExit:
        # Whatever it says: it may have sent everything before, or be reached by one link alone.
        with suppress(psycopg.Error):
            connection.cancel_safe(timeout=_CANCELLING)
        with suppress(psycopg.Error):
            _skip(link, arrived)
        with suppress(psycopg.Error):
            _end(connection, arrived, None)
        raise
    _end(connection, arrived, None)


def _batches(link: pq.abc.PGconn, arrived: select.poll) -> Generator[Lines, None, None]:
    rows: list[memoryview] = []
    while True:
        length, row = link.get_copy_data(1)
        if length > 0:
            rows.append(row)
            if len(rows) < _ROWS:
                continue
        if rows:
            yield rows
            rows = []
        if length < 0:
            return
        if length == 0:
            arrived.poll()
            link.consume_input()


def _skip(link: pq.abc.PGconn, arrived: select.poll) -> None:
    for _ in _batches(link, arrived):
        pass


def _wait(link: pq.abc.PGconn, arrived: select.poll) -> None:
    while link.is_busy():
        arrived.poll()
        link.consume_input()


def _end(
    connection: psycopg.Connection[Any], arrived: select.poll, result: pq.abc.PGresult | None
) -> None:
    """Take the results that are left. Raises the error of the first that is none of success."""
    link, failed = connection.pgconn, None
    while True:
        if result is not None and result.status == pq.ExecStatus.FATAL_ERROR:
            failed = failed or psycopg.errors.error_from_result(result)
        _wait(link, arrived)
        result = link.get_result()
        if result is None:
            break
    if failed is not None:
        raise failed
