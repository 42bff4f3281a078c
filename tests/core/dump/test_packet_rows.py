"""Members out of packets: the compiled function and its twin in Python write the same."""

from __future__ import annotations

import ctypes
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core.dump.mariadb.literals import LARGE_ROW, Column
from fasciculus.core.dump.mariadb.member_rows import MemberRows
from fasciculus.core.dump.mariadb.packet_rows import PacketRows, RowError, compiled_rows
from fasciculus.core.dump.sql.member_sizes import MemberSizes
from fasciculus.core.native import library

NATIVE = library()
COLUMNS = [
    Column("id", "int"),
    Column("name", "longtext", "utf8mb4"),
    Column("raw", "longblob"),
    Column("share", "double"),
    Column("old", "varchar", "koi8r"),
]
END = b"\x05\0\0\x01\xfe\0\0\x02\0"
SIZES = MemberSizes(60, 200, 400)
INSERT = b"INSERT INTO `pier` VALUES\n"

texts = st.one_of(
    st.none(),
    st.binary(max_size=80),
    st.text(alphabet="a'\\\0\r\n\x1a", max_size=80).map(str.encode),
    st.sampled_from([b"0", b"-0", b"-0.00", b"1e-20", b"-1", b"x" * 251, b"'" * 70_000]),
)


def encoded(value: bytes | None) -> bytes:
    if value is None:
        return b"\xfb"
    for most, first, size in ((251, b"", 1), (1 << 16, b"\xfc", 2), (1 << 24, b"\xfd", 3)):
        if len(value) < most:
            return first + len(value).to_bytes(size, "little") + value
    return b"\xfe" + len(value).to_bytes(8, "little") + value


def packets(row: list[bytes | None]) -> bytes:
    payload, found = b"".join(map(encoded, row)), []
    while True:
        part, payload = payload[:0xFFFFFF], payload[0xFFFFFF:]
        found.append(len(part).to_bytes(3, "little") + b"\0" + part)
        if len(part) < 0xFFFFFF:
            return b"".join(found)


def members(
    chunks: list[bytes], native: ctypes.CDLL | None, sizes: MemberSizes = SIZES
) -> tuple[list[bytes], int, bytes]:
    rows = MemberRows(INSERT, sizes)
    taken = PacketRows(COLUMNS, rows, native)
    found = [member for chunk in chunks for member in taken.feed(chunk)]
    assert taken.ended
    return [*found, rows.rest()], rows.rows, bytes(taken.left)


def test_it_was_compiled() -> None:
    assert NATIVE is not None


@given(
    rows=st.lists(st.tuples(*[texts] * len(COLUMNS)), max_size=40),
    cuts=st.lists(st.integers(0, 20_000), max_size=8),
)
def test_the_twins_write_the_same(rows: list[tuple[bytes | None, ...]], cuts: list[int]) -> None:
    data = b"".join(packets(list(row)) for row in rows) + END
    places = [0, *sorted(min(cut, len(data)) for cut in cuts), len(data)]
    chunks = [data[start:end] for start, end in pairwise(places)]
    found = members(chunks, NATIVE)
    assert found == members([data], None) and found[1:] == (len(rows), END)


def test_rows_in_statements_and_members() -> None:
    rows = [
        [b"1", b"it's", b"\0\xff", b"-0.0", None],
        [b"2", b"\r\n", b"", b"0.50", b"_koi8r 0xC6"],
    ]
    data = b"".join(map(packets, rows)) + END
    (member,), count, _ = members([data], NATIVE, MemberSizes(1000, 1000, 1000))
    assert count == 2
    assert member.endswith(
        b"INSERT INTO `pier` VALUES\n"
        b"(1,'it\\'s',0x00FF,-0e0,NULL),\n"
        b"(2,'\\r\n','',0.50,_koi8r 0xC6);\n"
    )


@pytest.mark.parametrize("native", [None, NATIVE])
def test_large_rows_and_many_of_them(native: ctypes.CDLL | None) -> None:
    """Above a size binary values are escaped: hexadecimal would take the packet's last room."""
    large = b"\xfe" * (LARGE_ROW // 2 + 1)
    rows = [[b"1", None, b"\xfe", b"1", None], [b"2", b"a\nb", large, b"-0", None]]
    rows += [[b"3", b"y" * 17_000_000, None, b"1", None]]
    rows += [[b"%d" % n, b"y" * 100_000, None, b"1", None] for n in range(4, 20)]
    sizes = MemberSizes(1 << 30, 1 << 30, 1 << 30)
    (member,), count, _ = members([b"".join(map(packets, rows)) + END], native, sizes)
    assert count == 19 and b"(1,NULL,0xFE,1,NULL)" in member
    assert b"(2,'a\\nb',_binary '" + large + b"',-0e0,NULL)" in member
    assert member.count(INSERT) == 5, "row 1, 2, 3, ten of 100 kB, and the rest"


@given(
    data=st.binary(max_size=300), honest=st.lists(st.tuples(*[texts] * len(COLUMNS)), max_size=3)
)
def test_what_no_honest_server_sends(data: bytes, honest: list[tuple[bytes | None, ...]]) -> None:
    data = b"".join(packets(list(row)) for row in honest) + data
    found = []
    for native in (None, NATIVE):
        rows = MemberRows(INSERT, SIZES)
        taken, made = PacketRows(COLUMNS, rows, native), list[bytes]()
        try:
            for member in taken.feed(data):
                made.append(member)
        except RowError:
            made.append(b"refused")
        found.append((made, rows.rows, rows.rest(), taken.ended))
    assert found[0] == found[1]


@pytest.mark.parametrize(
    "row",
    [
        b"",
        b"\x01",
        b"\x031",
        b"\xfc\x01",
        b"\xfd\xff\xff\xff1",
        b"\xff",
        b"\x011" * 4,
        b"\x011" * 6,
    ],
)
def test_lengths_that_are_wrong(row: bytes) -> None:
    """They end the result, or are refused; nothing beyond the packet is looked at."""
    data = len(row).to_bytes(3, "little") + b"\0" + row + packets([b"7"] * 5) + END
    rows = MemberRows(INSERT, SIZES)
    taken = PacketRows(COLUMNS, rows, NATIVE)
    if row[:1] in (b"", b"\xff"):
        assert list(taken.feed(data)) == [] and taken.ended
    else:
        with pytest.raises(RowError):
            list(taken.feed(data))
    assert rows.rows == 0


def test_values_whose_size_only_the_server_knows_are_left_to_it() -> None:
    rows = MemberRows(INSERT, SIZES)
    assert compiled_rows([Column("a", "longtext", "sjis")], rows) is None
    assert compiled_rows([Column("a", "longtext", "latin1")], rows) is not None
    assert compiled_rows([Column("a", "varchar", "sjis")], rows) is not None
