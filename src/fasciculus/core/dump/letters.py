"""Letters of stored programs and views that clients of other character sets made.

The server keeps the text of a program as its client sent it, and the names and comments beside it
as UTF-8: what it shows of a program is a mixture of both.
"""

from __future__ import annotations

import re

from .literals import quote_name
from .members import sql_text, text
from .server import Server

_CHARSET = re.compile(r"[a-z0-9_]+")
_UTF8 = ("utf8", "utf8mb3", "utf8mb4")


def under(statement: bytes, charset: str, collation: str) -> bytes:
    """A statement between delimiters that do not occur in it, as a client of a character set."""
    number, mark = 0, b"//"
    while mark in statement:
        number += 1
        mark = b"//%d//" % number
    return (
        f"SET character_set_client={charset or 'utf8mb4'};\n"
        f"SET collation_connection={collation or 'utf8mb4_general_ci'};\n"
        f"DELIMITER {mark.decode()}\n".encode()
        + statement
        + f"\n{mark.decode()}\nDELIMITER ;\nSET NAMES utf8mb4;\n".encode()
    )


def encoded(server: Server, value: str, charset: str) -> bytes | None:
    """A text in a character set; None where that lacks some of its letters."""
    if value.isascii() or charset in _UTF8[2:]:
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
    server: Server, shown: bytes, charset: str, name: str = "", comment: str = ""
) -> tuple[bytes, str]:
    """What the server shows of a program, all of it in the program's own character set.

    ``name`` is given where the server shows that as UTF-8 too. A comment that cannot be said in the
    character set is left out, and comes back as a literal to be set afterwards.
    """
    if shown.isascii() or charset in _UTF8:
        return shown, ""
    if name and not name.isascii():
        mixed = quote_name(name)
        clean = encoded(server, mixed, charset)
        if clean is not None:
            shown = shown.replace(mixed.encode(), clean, 1)
    later = ""
    if comment and not comment.isascii():
        clean = encoded(server, comment, charset)
        if clean is None:
            later = sql_text(comment)
        for quoted in (_escaped(comment), comment.replace("'", "\\'")):
            kept = _escaped(clean.decode("latin-1")).encode("latin-1") if clean else b""
            shown = shown.replace(f"COMMENT '{quoted}'".encode(), b"COMMENT '%s'" % kept, 1)
    return shown, later


def _escaped(value: str) -> str:
    """As the server shows a comment."""
    value = value.replace("\\", "\\\\").replace("\0", "\\0")
    return value.replace("\n", "\\n").replace("\r", "\\r").replace("'", "''")
