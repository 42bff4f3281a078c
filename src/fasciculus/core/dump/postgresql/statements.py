"""SQL members back into statements, as ``psql`` tells them apart."""

from __future__ import annotations

import re
from collections.abc import Iterator

#: Strings, names, comments, parentheses, and the words in bodies of functions.
_TOKEN = re.compile(
    rb"[eE]'(?:[^'\\]++|\\.|'')*+'|'(?:[^']++|'')*+'|\"(?:[^\"]++|\"\")*+\""
    rb"|\$(?P<tag>[A-Za-z_\x80-\xff][\w\x80-\xff]*|)\$.*?\$(?P=tag)\$"
    rb"|--[^\n]*|/\*.*?\*/|[A-Za-z_\x80-\xff][\w$\x80-\xff]*|[();]",
    re.DOTALL,
)
_COPY = re.compile(rb"(COPY [^\n]+ FROM stdin);\n")
_ROUTINE = (b"function", b"procedure")
#: The end of rows.
END_OF_ROWS = b"\\.\n"


def statements(member: bytes) -> Iterator[tuple[bytes, bytes | None]]:
    """Yield the statements of a member, each ``COPY … FROM stdin`` with its rows."""
    at = 0
    while at < len(member):
        copied = _COPY.match(member, at)
        if copied:
            end = _end_of_rows(member, copied.end())
            yield copied[1], member[copied.end() : end]
            at = end + len(END_OF_ROWS)
            continue
        end = _end(member, at)
        if statement := member[at:end].strip():
            yield statement, None
        at = end + 1
        while member[at : at + 1] == b"\n":
            at += 1


def _end_of_rows(member: bytes, start: int) -> int:
    if member.startswith(END_OF_ROWS, start):
        return start
    end = member.find(b"\n" + END_OF_ROWS, start)
    return len(member) if end < 0 else end + 1


def _end(member: bytes, start: int) -> int:
    """Return where the statement that begins somewhere ends: at its semicolon."""
    words: list[bytes] = []
    parentheses = depth = 0
    for token in _TOKEN.finditer(member, start):
        found = token[0]
        if found == b";" and parentheses <= 0 and depth <= 0:
            return token.start()
        if found in b"()":
            parentheses += 1 if found == b"(" else -1
        elif found[:1].isalpha() and found[-1:] != b"'":
            word = found.lower()
            if len(words) < 5:
                words.append(word)
            if _makes_routine(words) and parentheses <= 0:
                # Bodies of the SQL standard: BEGIN ATOMIC … END, with CASE … END within.
                depth += (word == b"begin" or (word == b"case" and depth > 0)) - (
                    word == b"end" and depth > 0
                )
    return len(member)


def _makes_routine(words: list[bytes]) -> bool:
    return words[:1] == [b"create"] and any(word in _ROUTINE for word in words[1:4])
