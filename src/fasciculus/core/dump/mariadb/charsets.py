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
#: The parts of a statement that matter for where its literals and names end, and the states
#: between them: outside, right after a literal, in one, in a name.
_TOKENS = re.compile(r"\\'|'|`|\\|[^'`\\]+")
_STATES = _OUT, _CLOSED, _IN, _NAME = "out", "closed", "in", "name"
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
    if charset == "sjis":
        value = _without_escapes(value)
        if "\\" not in value and value.isascii():
            return value.encode()
    elif value.isascii() or charset in UTF8[2:]:
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


def _without_escapes(value: str) -> str:
    """Return a text with doubled quotes instead of escaped ones, since in sjis a backslash becomes
    a letter that escapes nothing; unchanged if it cannot be read.

    The server shows such a letter as a backslash too. A backslash and a quote are an escaped quote,
    or a letter and the end of the literal: the one that makes the whole text readable.
    """
    tokens = _TOKENS.findall(value)
    # From the end: in which states the rest can be read.
    readable = [{_OUT, _CLOSED}]
    for token in reversed(tokens):
        after = readable[-1]
        readable.append({s for s in _STATES if any(t in after for t in _next(s, token))})
    readable.reverse()
    if _OUT not in readable[0]:
        return value
    state, found = _OUT, []
    for token, after in zip(tokens, readable[1:], strict=True):
        state = next(s for s in _next(state, token) if s in after)
        found.append("''" if token == "\\'" and state == _IN else token)
    return "".join(found)


def _next(state: str, token: str) -> tuple[str, ...]:
    """Return the states after a token, the more likely first."""
    match state, token:
        case "name", _:
            return (_OUT,) if token == "`" else (_NAME,)
        case "in", "\\'":
            return (_IN, _CLOSED)
        case "in", _:
            return (_CLOSED,) if token == "'" else (_IN,)
        case "closed", "'":
            return ()
        case _, "`":
            return (_NAME,)
        case _, "'":
            return (_IN,)
        case _, "\\'" | "\\":
            return ()
    return (_OUT,)


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
