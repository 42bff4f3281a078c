"""Tar headers: each is read back by the standard library's ``tarfile``."""

from __future__ import annotations

import io
import os
import subprocess
import tarfile
from pathlib import Path
from typing import Any

import pytest

from fasciculus.core.bundle import tar_header
from fasciculus.core.bundle.entry import BLOCK, CHAR, DIR, FIFO, FILE, SYMLINK, Entry

FIELDS = {"mode": 0o640, "uid": 1000, "gid": 33, "user": "millpond", "group": "www-data"}


def member(entry: Entry, **more: Any) -> Any:
    """The header of an entry, read by ``tarfile``."""
    data = tar_header.header(entry, **more)
    assert len(data) % 512 == 0
    size = more.get("size", entry.size if entry.type == FILE and entry.link is None else 0)
    body = bytes(min(size, 2000)) + tar_header.padding(min(size, 2000))
    with tarfile.open(fileobj=io.BytesIO(data + body + tar_header.END)) as archive:
        found = archive.next()
    assert found is not None
    return found


def entry(path: bytes = b"site/index.html", **more: Any) -> Entry:
    return Entry(
        "files", path, **{**FIELDS, "size": 5, "mtime_ns": 1_790_000_000_000_000_000, **more}
    )


def test_a_plain_file() -> None:
    found = member(entry())
    assert found.name == "files/site/index.html" and found.isreg() and found.size == 5
    assert (found.mode, found.uid, found.gid) == (0o640, 1000, 33)
    assert (found.uname, found.gname) == ("millpond", "www-data")
    assert found.mtime == 1_790_000_000 and not found.pax_headers


@pytest.mark.parametrize(
    "ns",
    [
        0,
        1,
        999_999_999,
        1_500_000_000,
        -1,
        -(10**9),
        -1_500_000_000,
        10**9 * 0o77777777777,
        10**9 * 0o77777777777 + 5,
        10**9 * (0o77777777777 + 1),
        2**62,
    ],
)
@pytest.mark.parametrize("more", [{}, {"xattrs": {"user.a": b"1"}}], ids=["plain", "with more"])
def test_a_time_is_kept_to_the_nanosecond(ns: int, more: dict[Any, Any]) -> None:
    found = member(entry(mtime_ns=ns, **more))
    text = found.pax_headers.get("mtime", f"{int(found.mtime)}")
    whole, _, fraction = text.partition(".")
    sign = -1 if whole.startswith("-") else 1
    assert sign * (abs(int(whole)) * 10**9 + int(fraction.ljust(9, "0") or 0)) == ns


@pytest.mark.parametrize("length", [90, 94, 95, 99, 100, 101, 149, 155, 156, 200, 255, 300, 900])
@pytest.mark.parametrize("deep", [True, False])
def test_a_name_of_any_length(length: int, deep: bool) -> None:
    path = (b"folder-of-a-site/" * 90 if deep else b"x" * 900)[:length].rstrip(b"/") + b"x"
    for more in ({}, {"type": DIR}, {"xattrs": {"user.a": b"1"}}):
        found = member(entry(path, **more))
        assert found.name == f"files/{path.decode()}"


@pytest.mark.parametrize("name", ["grün", "brücke/日本", "a b", "new\nline", "tab\t", "=sign"])
def test_a_name_of_any_letters(name: str) -> None:
    assert member(entry(name.encode())).name == f"files/{name}"


def test_a_name_that_is_not_utf8_says_so() -> None:
    data = tar_header.header(entry(b"caf\xe9"))
    assert b"hdrcharset=BINARY\n" in data and b"path=files/caf\xe9\n" in data
    found = member(entry(b"caf\xe9"))
    assert found.name.encode("utf-8", "surrogateescape") == b"files/caf\xe9"


@pytest.mark.parametrize("number", [0, 1, 0o7777777, 0o7777777 + 1, 2**32 - 2])
def test_owners_of_any_number(number: int) -> None:
    for more in ({}, {"mtime_ns": 5}):
        found = member(entry(uid=number, gid=number, **more))
        assert (found.uid, found.gid) == (number, number)


@pytest.mark.parametrize("name", ["", "a" * 31, "a" * 32, "a" * 60, "müller"])
def test_owners_of_any_name(name: str) -> None:
    for more in ({}, {"mtime_ns": 5}):
        found = member(entry(user=name, group=name, **more))
        assert (found.uname, found.gname) == (name, name)


@pytest.mark.parametrize("size", [0, 1, 512, 0o77777777777, 0o77777777777 + 1, 2**50])
def test_a_file_of_any_size(size: int) -> None:
    for more in ({}, {"mtime_ns": 5}, {"xattrs": {"user.a": b"1"}}):
        assert member(entry(size=size, **more)).size == size


@pytest.mark.parametrize(
    ("kind", "check"),
    [(DIR, "isdir"), (SYMLINK, "issym"), (FIFO, "isfifo"), (CHAR, "ischr"), (BLOCK, "isblk")],
)
def test_each_type(kind: str, check: str) -> None:
    found = member(entry(b"x", type=kind, target=b"to/there" if kind == SYMLINK else None))
    assert getattr(found, check)() and found.size == 0
    assert found.linkname == ("to/there" if kind == SYMLINK else "")


def test_a_device_has_its_numbers() -> None:
    found = member(entry(b"x", type=CHAR, rdev=(5, 300)))
    assert (found.devmajor, found.devminor) == (5, 300)


@pytest.mark.parametrize("target", [b"a", b"x" * 100, b"x" * 101, "grün".encode(), b"caf\xe9"])
def test_a_link_leads_where_it_led(target: bytes) -> None:
    found = member(entry(b"x", type=SYMLINK, target=target))
    assert found.linkname.encode("utf-8", "surrogateescape") == target


def test_a_hard_link_names_its_first_with_the_kind_and_has_no_bytes() -> None:
    found = member(entry(b"b", link=b"a"))
    assert found.islnk() and found.linkname == "files/a" and found.size == 0
    long = b"deep/" * 40 + b"x"
    assert member(entry(b"b", link=long)).linkname == f"files/{long.decode()}"


def test_attributes_are_kept_as_bytes() -> None:
    values = {"user.note": b"\0\n=\xff", "security.capability": b"\1\0\0\2", "user.empty": b""}
    data = tar_header.header(entry(xattrs=values))
    for key, value in values.items():
        assert b"SCHILY.xattr." + key.encode() + b"=" + value + b"\n" in data
    assert member(entry(xattrs={"user.note": b"plain"})).pax_headers == {
        "SCHILY.xattr.user.note": "plain"
    }


@pytest.mark.parametrize("length", range(1, 130))
def test_a_record_counts_its_own_length(length: int) -> None:
    # Every length once, which no entry's fields would give.
    data = tar_header._record(b"k", b"v" * length)
    digits, _, rest = data.partition(b" ")
    assert int(digits) == len(data) and rest == b"k=" + b"v" * length + b"\n"


def test_a_part_of_a_file_has_its_own_name_and_size() -> None:
    found = member(entry(size=9000), size=700, name=b"files/x.part-1")
    assert (found.name, found.size) == ("files/x.part-1", 700)
    found = member(entry(size=9000, mtime_ns=7), size=0, name=b"files/x.part-2")
    assert (found.name, found.size) == ("files/x.part-2", 0)


@pytest.mark.parametrize(("size", "zeros"), [(0, 0), (1, 511), (511, 1), (512, 0), (513, 511)])
def test_contents_end_at_a_block(size: int, zeros: int) -> None:
    assert tar_header.padding(size) == bytes(zeros)


def test_mode_bits_beyond_permissions_are_kept_and_types_are_not() -> None:
    assert member(entry(mode=0o4755)).mode == 0o4755
    assert member(entry(mode=0o104755)).mode == 0o4755


def records(data: bytes) -> dict[Any, Any]:
    """The records of the extended header, if there is one."""
    if data[156:157] != b"x":
        return {}
    size = int(data[124:135], 8)
    rest, found = data[512 : 512 + size], {}
    while rest:
        length = int(rest.split(b" ", 1)[0])
        key, _, value = rest[:length].split(b" ", 1)[1].rstrip(b"\n").partition(b"=")
        found[key.decode()] = value
        rest = rest[length:]
    return found


def main_of(data: bytes) -> bytes:
    """The ustar header itself."""
    return data[-512:]


@pytest.mark.parametrize(
    ("fields", "keys"),
    [
        ({}, []),
        ({"mtime_ns": 5}, ["mtime"]),
        ({"user": "a" * 31}, []),
        ({"user": "a" * 32}, ["uname"]),
        ({"group": "a" * 32, "mtime_ns": 5}, ["gname", "mtime"]),
        ({"user": "müller", "mtime_ns": 5}, ["mtime", "uname"]),
        ({"uid": 0o7777777}, []),
        ({"uid": 0o7777777 + 1, "gid": 0o7777777 + 1, "mtime_ns": 5}, ["gid", "mtime", "uid"]),
        ({"size": 0o77777777777 + 1}, ["size"]),
        ({"mtime_ns": -(10**9)}, ["mtime"]),
        ({"type": SYMLINK, "target": b"x" * 100}, []),
        ({"type": SYMLINK, "target": b"x" * 101}, ["linkpath"]),
        ({"type": SYMLINK, "target": "ü".encode()}, ["linkpath"]),
        ({"type": SYMLINK, "target": b"\xfc"}, ["hdrcharset", "linkpath"]),
        ({"xattrs": {"user.a": b"\xff"}}, ["SCHILY.xattr.user.a"]),
    ],
    ids=str,
)
def test_an_extended_header_has_what_does_not_fit_and_no_more(
    fields: dict[Any, Any], keys: list[Any]
) -> None:
    assert sorted(records(tar_header.header(entry(**fields)))) == keys


@pytest.mark.parametrize(
    ("path", "prefix", "name"),
    [
        (b"x" * 94, b"", b"files/" + b"x" * 94),
        (b"x" * 95, b"files", b"x" * 95),
        (b"x" * 100, b"files", b"x" * 100),
        (b"d" * 60 + b"/" + b"x" * 100, b"files/" + b"d" * 60, b"x" * 100),
        (b"d" * 149 + b"/" + b"x" * 100, b"files/" + b"d" * 149, b"x" * 100),
    ],
)
def test_a_long_name_is_cut_at_a_slash(path: bytes, prefix: bytes, name: bytes) -> None:
    data = tar_header.header(entry(path))
    assert records(data) == {}
    assert data[:100].rstrip(b"\0") == name and data[345:500].rstrip(b"\0") == prefix


@pytest.mark.parametrize(
    "path", [b"x" * 101, b"d" * 60 + b"/" + b"x" * 101, b"d" * 150 + b"/" + b"x" * 100]
)
def test_a_name_that_no_cut_fits_goes_before(path: bytes) -> None:
    assert records(tar_header.header(entry(path)))["path"] == b"files/" + path


def test_a_folder_ends_in_a_slash_and_numbers_stand_where_they_belong() -> None:
    data = main_of(tar_header.header(entry(b"a", type=DIR, mode=0o1755, mtime_ns=0)))
    assert data[:8] == b"files/a/" and data[156:157] == b"5"
    assert data[100:108] == b"0001755\0" and data[257:265] == b"ustar\x0000"
    assert data[124:136] == b"00000000000\0", "a folder has no bytes"
    whole = data[:148] + b" " * 8 + data[156:]
    assert int(data[148:154], 8) == sum(whole)
    device = main_of(tar_header.header(entry(b"a", type=CHAR, rdev=(8, 17), mtime_ns=0)))
    assert device[329:337] == b"0000010\0" and device[337:345] == b"0000021\0"


def test_what_stands_in_for_a_number_that_does_not_fit_is_nothing() -> None:
    data = main_of(tar_header.header(entry(uid=0o7777777 + 1, mtime_ns=-(10**9), size=2**40)))
    assert data[108:116] == b"0000000\0" and data[136:148] == b"00000000000\0"
    assert data[124:136] == b"00000000000\0"


def test_attribute_names_with_what_ends_a_keyword_come_back_by_gnu_tar(tmp_path: Path) -> None:
    names = {"user.a=b": b"1", "user.50%": b"2", "user.%3D": b"3", "user.plain": b"4"}
    archive = tar_header.header(entry(b"x", size=0, xattrs=names)) + tar_header.END
    command = ["tar", "--xattrs", "--xattrs-include=*", "-xf", "-", "-C", str(tmp_path)]
    subprocess.run(command, input=archive, check=True, capture_output=True)
    path = tmp_path / "files/x"
    assert {name: os.getxattr(path, name) for name in os.listxattr(path)} == names
