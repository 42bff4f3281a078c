"""Tar headers, POSIX.1-2001 pax interchange format, packed by hand.

A plain ustar header is 512 bytes; what does not fit it (nanoseconds, long or
non-ASCII names, large numbers, extended attributes) goes before it in a pax
extended header. Packing them here is several times faster than the standard
library's ``tarfile``.
"""

from __future__ import annotations

from functools import lru_cache

from .entry import (
    BLOCK,
    CHAR,
    DIR,
    FIFO,
    FILE,
    SYMLINK,
    Entry,
)

BLOCK_SIZE = 512
END = bytes(2 * BLOCK_SIZE)

_TYPE = {FILE: b"0", SYMLINK: b"2", CHAR: b"3", BLOCK: b"4", DIR: b"5", FIFO: b"6"}
_MAX_OCTAL_8 = 0o7777777
_MAX_OCTAL_12 = 0o77777777777


def padding(size: int) -> bytes:
    """Return the zero bytes that fill ``size`` bytes of contents up to a block."""
    return bytes(-size % BLOCK_SIZE)


def _ustar(
    name: bytes,
    typeflag: bytes,
    size: int,
    mode: int = 0o644,
    uid: int = 0,
    gid: int = 0,
    mtime: int = 0,
    linkname: bytes = b"",
    user: bytes = b"",
    group: bytes = b"",
    rdev: tuple[int, int] = (0, 0),
    prefix: bytes = b"",
) -> bytes:
    head = b"%s%07o\0%07o\0%07o\0%011o\0%011o\0" % (
        name.ljust(100, b"\0"),
        mode & 0o7777,
        uid,
        gid,
        size,
        mtime,
    )
    tail, total = _tail(typeflag, linkname, user, group, rdev, prefix)
    return b"%s%06o\0 %s" % (head, sum(head) + total, tail)


@lru_cache(maxsize=512)
def _pax(size: int) -> bytes:
    """Return the header of an extended header: its name means nothing, so that one serves all of a
    size.
    """
    return _ustar(b"PaxHeaders/entry", b"x", size)


@lru_cache(maxsize=512)
def _tail(
    typeflag: bytes,
    linkname: bytes,
    user: bytes,
    group: bytes,
    rdev: tuple[int, int],
    prefix: bytes,
) -> tuple[bytes, int]:
    """Return what follows the checksum, the same for most files of a tree, and its share of the
    checksum.
    """
    tail = b"%s%sustar\x0000%s%s%07o\0%07o\0%s" % (
        typeflag,
        linkname.ljust(100, b"\0"),
        user.ljust(32, b"\0"),
        group.ljust(32, b"\0"),
        rdev[0],
        rdev[1],
        prefix.ljust(167, b"\0"),
    )
    return tail, sum(tail) + 8 * 32


#: An extended header that has nothing but the time of a change since 2001, in nanoseconds.
_TEN_DIGITS = 1_000_000_000
_MTIME_SIZE = len(b"30 mtime=1234567890.123456789\n")
_PAX_OF_MTIME, _AFTER_MTIME = _pax(_MTIME_SIZE), padding(_MTIME_SIZE)


def _record(key: bytes, value: bytes) -> bytes:
    # The length counts its own digits.
    rest = len(key) + len(value) + 3
    length = rest + len(str(rest))
    if len(str(length)) != len(str(rest)):
        length = rest + len(str(length))
    return b"%d %s=%s\n" % (length, key, value)


def _seconds(ns: int) -> bytes:
    sign = b""
    if ns < 0:
        ns, sign = -ns, b"-"
    text = b"%s%d" % (sign, ns // 1_000_000_000)
    fraction = ns % 1_000_000_000
    return text + (b".%09d" % fraction).rstrip(b"0") if fraction else text


def _split(name: bytes) -> tuple[bytes, bytes] | None:
    """Return the name cut into ustar's (prefix, name), or None when it does not fit."""
    if len(name) <= 100:
        return b"", name
    cut = name.rfind(b"/", 0, 156)
    if cut > 0 and len(name) - cut - 1 <= 100 and name[cut + 1 :]:
        return name[:cut], name[cut + 1 :]
    return None


def _keyword(name: str) -> bytes:
    """Return an attribute's name as GNU tar writes it: what would end a record's keyword is
    escaped.
    """
    return name.replace("%", "%25").replace("=", "%3D").encode()


def is_utf8(data: bytes) -> bool:
    """Return whether a name or a value can be written as UTF-8 text."""
    try:
        data.decode()
    except UnicodeDecodeError:
        return False
    return True


@lru_cache(maxsize=4096)
def _plain_names(user: str, group: str) -> tuple[bytes, bytes] | None:
    """Return the names of a file's owners; None where they need an extended header."""
    if len(user) < 32 and len(group) < 32 and user.isascii() and group.isascii():
        return user.encode(), group.encode()
    return None


def _plain_file(entry: Entry, size: int, name: bytes) -> bytes | None:
    """Return the header of a file as most are, without asking of each field whether it fits; None
    where one does not.
    """
    mtime, fraction = divmod(entry.mtime_ns, 1_000_000_000)
    names = _plain_names(entry.user, entry.group)
    if not (
        fraction
        and _TEN_DIGITS <= mtime <= _MAX_OCTAL_12
        and size <= _MAX_OCTAL_12
        and entry.uid <= _MAX_OCTAL_8
        and entry.gid <= _MAX_OCTAL_8
        and names is not None
    ):
        return None
    main = _ustar(name, b"0", size, entry.mode, entry.uid, entry.gid, mtime, b"", *names)
    return b"%s30 mtime=%d.%09d\n%s%s" % (_PAX_OF_MTIME, mtime, fraction, _AFTER_MTIME, main)


def header(entry: Entry, size: int | None = None, name: bytes | None = None) -> bytes:
    """Return the complete header of an entry, pax part included.

    ``size`` and ``name`` replace the entry's own if only a part of it follows.
    """
    name = entry.name if name is None else name
    if (
        entry.type == FILE
        and entry.link is None
        and not entry.xattrs
        and not entry.flags
        and len(name) <= 100
        and name.isascii()
    ):
        plain = _plain_file(entry, entry.size if size is None else size, name)
        if plain is not None:
            return plain
    is_link = entry.link is not None
    if size is None:
        size = entry.size if entry.type == FILE and not is_link else 0
    if entry.type == DIR:
        name += b"/"
    target = entry.target or b""
    if entry.link is not None:
        target = entry.kind.encode() + b"/" + entry.link
    records: list[tuple[bytes, bytes]] = []

    split = _split(name)
    if split is None or not name.isascii():
        records.append((b"path", name))
    prefix, short = split or (b"", name[:100])
    if len(target) > 100 or not target.isascii():
        records.append((b"linkpath", target))
    if size > _MAX_OCTAL_12:
        records.append((b"size", b"%d" % size))
    mtime = entry.mtime_ns // 1_000_000_000
    if entry.mtime_ns % 1_000_000_000 or not 0 <= mtime <= _MAX_OCTAL_12:
        records.append((b"mtime", _seconds(entry.mtime_ns)))
    for key, number in ((b"uid", entry.uid), (b"gid", entry.gid)):
        if number > _MAX_OCTAL_8:
            records.append((key, b"%d" % number))
    user, group = entry.user.encode(), entry.group.encode()
    for key, text in ((b"uname", user), (b"gname", group)):
        if len(text) > 31 or not text.isascii():
            records.append((key, text))
    if any(key != b"mtime" and not is_utf8(value) for key, value in records):
        records.insert(0, (b"hdrcharset", b"BINARY"))
    for key_text, value in entry.xattrs.items():
        records.append((b"SCHILY.xattr." + _keyword(key_text), value))
    if entry.flags:
        records.append((b"SCHILY.fflags", entry.flags.encode()))

    main = _ustar(
        short,
        b"1" if is_link else _TYPE[entry.type],
        size if size <= _MAX_OCTAL_12 else 0,
        entry.mode,
        entry.uid if entry.uid <= _MAX_OCTAL_8 else 0,
        entry.gid if entry.gid <= _MAX_OCTAL_8 else 0,
        mtime if 0 <= mtime <= _MAX_OCTAL_12 else 0,
        target[:100],
        user[:31],
        group[:31],
        entry.rdev,
        prefix,
    )
    if not records:
        return main
    body = b"".join(_record(key, value) for key, value in records)
    return b"".join((_pax(len(body)), body, padding(len(body)), main))
