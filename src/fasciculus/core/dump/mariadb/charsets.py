"""Letters of stored programs and views that clients of other character sets made.

The server stores the text of a program as its client sent it, but its names and comments as UTF-8:
the output of SHOW CREATE mixes both.
"""

from __future__ import annotations

import re

from ..sql.members import text
from ..sql.server import Server
from .literals import quote_name
from .statements import NO_ESCAPES

_CHARSET = re.compile(r"[a-z0-9_]+")
_RUNS = re.compile(r"([\x00-\x7f]+)|([^\x00-\x7f]+)")
#: Character sets whose text is UTF-8.
UTF8 = ("utf8", "utf8mb3", "utf8mb4")


def decoded(server: Server, shown: bytes, charset: str) -> bytes:
    """Return a text of a character set as UTF-8, for servers that cannot take its own bytes."""
    if shown.isascii() or charset in UTF8 or not _CHARSET.fullmatch(charset):
        return shown
    ((found,),) = server.rows(
        f"SELECT HEX(CONVERT(CONVERT(x'{shown.hex()}' USING {charset}) USING utf8mb4))"
    )
    return bytes.fromhex(text(found))


def encoded(server: Server, value: str, charset: str) -> bytes | None:
    """Return a text in a character set; None where that lacks some of its letters."""
    if value.isascii() or charset in UTF8[2:]:
        return value.encode()
    if not _CHARSET.fullmatch(charset):
        return None
    converted = f"CONVERT(%s USING {charset})"
    ((found, is_same),) = server.rows(
        f"SELECT HEX({converted}), CONVERT({converted} USING utf8mb4) = BINARY %s",
        value,
        value,
        value,
    )
    return bytes.fromhex(text(found)) if is_same == b"1" else None


def own(
    server: Server,
    shown: bytes,
    charset: str,
    name: str = "",
    comment: str = "",
    sql_mode: str = "",
) -> tuple[bytes, str]:
    """Return what the server shows of a program, all of it in the program's own character set.

    ``name`` is given where the server shows that as UTF-8 too. A comment that cannot be said in the
    character set is left out, and is given back to be set afterwards.
    """
    later = ""
    if NO_ESCAPES in sql_mode and _escaped(comment) != comment.replace("'", "''"):
        # The server shows it with escapes, which are none in this mode.
        shown, later = _without(shown, comment), comment
        comment = ""
    if shown.isascii() or charset in UTF8:
        return shown, later
    if name and not name.isascii():
        mixed = quote_name(name)
        clean = encoded(server, mixed, charset)
        if clean is not None:
            shown = shown.replace(mixed.encode(), clean, 1)
    if comment and not comment.isascii():
        kept = _in_literal(server, comment, charset)
        if kept is None:
            kept, later = b"", comment
        for quoted in (_escaped(comment), comment.replace("'", "\\'")):
            shown = shown.replace(f"COMMENT '{quoted}'".encode(), b"COMMENT '%s'" % kept, 1)
    return shown, later


def _in_literal(server: Server, comment: str, charset: str) -> bytes | None:
    """Return a comment between the quotes of a literal; None where the character set lacks some
    letters.

    Escapes are of letters, not of bytes: the last byte of a letter may be that of a backslash.
    """
    parts = []
    for plain, others in _RUNS.findall(comment):
        part = _escaped(plain).encode() if plain else encoded(server, others, charset)
        if part is None:
            return None
        parts.append(part)
    return b"".join(parts)


def _without(shown: bytes, comment: str) -> bytes:
    for quoted in (_escaped(comment), comment.replace("'", "\\'")):
        shown = shown.replace(f"COMMENT '{quoted}'".encode(), b"COMMENT ''", 1)
    return shown


def _escaped(value: str) -> str:
    """As the server shows a comment."""
    value = value.replace("\\", "\\\\").replace("\0", "\\0")
    return value.replace("\n", "\\n").replace("\r", "\\r").replace("'", "''")
