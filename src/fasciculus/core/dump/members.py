"""The members of a dump: files of SQL, in the order in which they are loaded."""

from __future__ import annotations

import hashlib

from msgspec import Struct

USERS = "99000-users.sql"
#: The longest escaped name, and how much of a longer one is kept before its digest. Members add
#: about 30 characters to it, and names of files have 255 bytes.
_LONGEST, _KEPT = 180, 140

#: What each statement finds, whatever the client and the one before it were set to.
SETTINGS = (
    b"SET NAMES utf8mb4;\nSET time_zone='+00:00';\n"
    b"SET sql_mode='NO_AUTO_VALUE_ON_ZERO,ALLOW_INVALID_DATES';\n"
)
#: What every member begins with.
HEAD = SETTINGS + (
    b"SET foreign_key_checks=0;\nSET unique_checks=0;\n"
    b"/*M!100200 SET check_constraint_checks=0 */;\n"
)


class Member(Struct, frozen=True):
    """One file of the dump."""

    name: str
    data: bytes


def safe_file(name: str) -> str:
    """Return a table's or database's name as a file name: all but plain characters as ``%XX``.

    One that would be longer than file systems allow ends with a digest of the name instead.
    """
    made = _escaped(name)
    if len(made) <= _LONGEST:
        return made
    digest = hashlib.blake2b(name.encode(), digest_size=16).hexdigest()
    return f"{made[:_KEPT]}-{digest}"


def is_shortened(name: str) -> bool:
    """Return whether :func:`safe_file` cannot keep the whole of a name."""
    return len(_escaped(name)) > _LONGEST


def _escaped(name: str) -> str:
    return "".join(
        c
        if (c.isalnum() and c.isascii()) or c in "_-$"
        else "".join(f"%{b:02X}" for b in c.encode())
        for c in name
    )


def text(value: bytes | None) -> str:
    """Return a value of a result as text; empty for NULL."""
    return "" if value is None else value.decode("utf-8")


def sql_text(value: str) -> str:
    """Return a text as an SQL literal."""
    return "'" + value.replace("\\", "\\\\").replace("'", "\\'") + "'"
