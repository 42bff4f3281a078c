"""The members of a dump: files of SQL, in the order in which they are loaded."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Mapping
from urllib.parse import unquote

from msgspec import Struct

#: The longest escaped name, and how much of a longer one is kept before its digest. Members add
#: about 30 characters to it, and names of files have 255 bytes.
_LONGEST, _KEPT = 180, 140
_ROWS = re.compile(r"\d{5}-rows-(.+)-\d{6}\.sql")


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


def name_of_file(file: str) -> str:
    """Return the name that :func:`safe_file` made a file name of, unless it was shortened."""
    return unquote(file, errors="replace")


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


def rows_of(member: str) -> str:
    """Return the table whose rows a member has, as :func:`safe_file` names it; empty if it has
    none.
    """
    match = _ROWS.fullmatch(member)
    return match[1] if match else ""


def table_of(member: str, shortened: Mapping[str, str]) -> str:
    """Return the table whose rows a member has, empty for a member of something else.

    ``shortened`` has the full names of those that file names could not hold.
    """
    name = rows_of(member)
    return shortened.get(name) or name_of_file(name)


def text(value: bytes | None) -> str:
    """Return a value of a result as text; empty for NULL."""
    return "" if value is None else value.decode("utf-8")
