"""Rows of a table out of the packets of MariaDB's text protocol.

A server takes three times as long to write literals as to give plain rows. The compiled function
writes them as fast as its packets arrive. The same in Python is for large packets, and for tests
that compare both.
"""

from __future__ import annotations

import ctypes
from collections.abc import Iterator, Sequence
from typing import Protocol

from ...native import library
from ..sql.server import Server
from .literals import Column, Way, from_plain, plain
from .member_rows import STATEMENT_SIZE, MemberRows

#: Packets of so many bytes are not left to the compiled function.
_LARGE = 256 * 1024
_CONTINUED = 0xFFFFFF


class RowError(ValueError):
    """A packet that is no row of the table."""


class PacketRows:
    """Makes members of the packets of one result; ``ended`` once one came that is no row.

    ``left`` begins with that packet then, for the connection to read.
    """

    def __init__(
        self, columns: list[Column], rows: MemberRows, native: ctypes.CDLL | None = None
    ) -> None:
        self._columns, self._rows = columns, rows
        #: What to ask for of each column, and the conversions of the values.
        self.wanted, self._ways = zip(*map(plain, columns), strict=True)
        self._compiled = None if native is None else _Compiled(native, self._ways, rows)
        self.left, self.ended = bytearray(), False

    def feed(self, data: bytes) -> Iterator[bytes]:
        """Take what arrived, and yield the members that end in it. Raises :class:`RowError`."""
        self.left += data
        at = 0
        while True:
            if self._compiled is not None:
                at, ends = self._compiled.write(self.left, at)
                if ends:
                    yield self._rows.rest()
                    continue
            packet, following = _packet(self.left, at)
            if packet is None:
                break
            if _is_no_row(packet):
                self.ended = True
                break
            at = following
            if member := self._rows.add(self._row(packet)):
                yield member
        del self.left[:at]

    def _row(self, packet: bytes) -> bytes:
        values = _values(packet, len(self._columns))
        return b"(" + b",".join(from_plain(self._columns, self._ways, values)) + b")"


def compiled_rows(columns: list[Column], rows: MemberRows) -> PacketRows | None:
    """Return what takes the table's packets; None if nothing was compiled, or if the server
    must say which rows are large.
    """
    native = library()
    if native is None or any(c.unbounded and plain(c)[1] == Way.AS_IT_IS for c in columns):
        return None
    return PacketRows(columns, rows, native)


class PacketServer(Server, Protocol):
    """A server whose packets can be had."""

    def members(self, sql: str, packets: PacketRows) -> Iterator[bytes]:
        """Return the members that a result's packets are made into."""


class _State(ctypes.Structure):
    """The compiled function's state: ``struct member_rows``."""

    _fields_ = (
        ("ways", ctypes.c_char_p),
        ("columns", ctypes.c_uint64),
        ("head", ctypes.c_char_p),
        ("head_length", ctypes.c_uint64),
        ("again", ctypes.c_char_p),
        ("again_length", ctypes.c_uint64),
        ("least", ctypes.c_uint64),
        ("usual", ctypes.c_uint64),
        ("most", ctypes.c_uint64),
        ("statement_most", ctypes.c_uint64),
        ("large", ctypes.c_uint64),
        ("member_bytes", ctypes.c_uint64),
        ("statement_bytes", ctypes.c_uint64),
        ("rows", ctypes.c_uint64),
        ("in_used", ctypes.c_uint64),
        ("out_used", ctypes.c_uint64),
    )


class _Compiled:
    """The compiled function, with its room for a member."""

    def __init__(self, native: ctypes.CDLL, ways: Sequence[Way], rows: MemberRows) -> None:
        self._write = native.write_rows
        self._rows = rows
        least, usual, most = rows.sizes
        room = most + 6 * _LARGE + len(rows.head) + 2 * len(rows.again)
        self._out = ctypes.create_string_buffer(room)
        self._state = _State(
            bytes(ways), len(ways), rows.head, len(rows.head), rows.again, len(rows.again),
            least, usual, most, STATEMENT_SIZE, _LARGE,
        )  # fmt: skip

    def write(self, data: bytearray, at: int) -> tuple[int, bool]:
        """Take the packets from a place on; return how far, and whether a member ends there."""
        if at == len(data):
            return at, False
        state, rows = self._state, self._rows
        state.member_bytes, state.statement_bytes = rows.member_bytes, rows.statement_bytes
        state.rows, state.in_used = rows.rows, at
        view = ctypes.c_char.from_buffer(data)
        ends = self._write(
            ctypes.byref(state), ctypes.addressof(view), len(data), self._out, len(self._out)
        )
        # The view would keep the data from growing.
        del view
        rows.member_bytes, rows.statement_bytes = state.member_bytes, state.statement_bytes
        rows.rows = state.rows
        rows.extend(ctypes.string_at(self._out, state.out_used))
        return state.in_used, bool(ends)


def _packet(data: bytearray, at: int) -> tuple[bytes | None, int]:
    """Return the packet at a place, put together if it came in several, and what follows it; None
    if it has not arrived completely.
    """
    parts = []
    while at + 4 <= len(data):
        length = int.from_bytes(data[at : at + 3], "little")
        end = at + 4 + length
        if end > len(data):
            break
        parts.append(memoryview(data)[at + 4 : end])
        if length < _CONTINUED:
            return b"".join(parts), end
        at = end
    return None, at


def _is_no_row(packet: bytes) -> bool:
    return packet[:1] in (b"", b"\xff") or (packet[0] == 0xFE and len(packet) < 9)


#: Bytes of a length, by what stands before it.
_LENGTHS = {0xFC: 2, 0xFD: 3, 0xFE: 8}


def _values(packet: bytes, count: int) -> list[bytes | None]:
    """Return the values of a row: length-encoded strings, or NULL."""
    values: list[bytes | None] = []
    at = 0
    while at < len(packet) and len(values) < count:
        first = packet[at]
        at += 1
        if first == 0xFB:
            values.append(None)
            continue
        if first > 0xFB:
            size = _LENGTHS.get(first, 0)
            first = int.from_bytes(packet[at : at + size], "little")
            if not size or at + size > len(packet):
                break
            at += size
        if at + first > len(packet):
            break
        values.append(packet[at : at + first])
        at += first
    if at != len(packet) or len(values) != count:
        raise RowError("a row has other values than its table has columns")
    return values
