"""References of a table to other databases, in the text of ``SHOW CREATE TABLE``.

The server writes a foreign key to another database, and the sequence of a default, with the name of
the database. After a table was renamed into another database, these names are corrected.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator

from .literals import quote_name

_STRING = rb"'(?:[^'\\\\]|\\\\.|'')*'"
_NAME = rb"`(?:[^`]|``)*`"
_SEQUENCE = re.compile(
    rb"%s|((?:next|last|set)val\()(%s)\.(?=`)|%s" % (_STRING, _NAME, _NAME), re.S | re.I
)
_FOREIGN_KEY = re.compile(
    rb"^ +CONSTRAINT (?P<name>%s) FOREIGN KEY \(.*?\) REFERENCES "
    rb"(?:(?P<schema>%s)\.)?%s \(" % (_NAME, _NAME, _NAME),
    re.M,
)
_COLUMN = re.compile(rb"^  (%s) .*$" % _NAME, re.M)


def unqualified(definition: bytes, database: str) -> bytes:
    """Return a table's definition in which sequences are not qualified by the table's database."""
    own = quote_name(database).encode()
    return _SEQUENCE.sub(lambda m: m[1] if m[2] == own else m[0], definition)


def corrections(
    definition: bytes, own: str, strangers: Collection[str]
) -> Iterator[tuple[bytes, bytes]]:
    """Yield clauses of ``ALTER TABLE``, in pairs of what is dropped first, if anything, and what is
    made then. Afterwards the table refers to its own database wherever it referred to one of
    ``strangers``.
    """
    here = quote_name(own).encode()
    others = {quote_name(name).encode() for name in strangers if name != own}
    for match in _FOREIGN_KEY.finditer(definition):
        if match["schema"] in others:
            line = definition[match.start() : _line_end(definition, match.end())]
            at = match.start("schema") - match.start()
            moved = line[:at] + here + line[at + len(match["schema"]) :]
            yield b"DROP FOREIGN KEY " + match["name"], b"ADD " + moved.strip().rstrip(b",")
    for match in _COLUMN.finditer(definition):
        moved = _SEQUENCE.sub(lambda m: m[1] + here + b"." if m[2] in others else m[0], match[0])
        if moved != match[0]:
            yield b"", b"MODIFY COLUMN " + moved.strip().rstrip(b",")


def _line_end(text: bytes, start: int) -> int:
    end = text.find(b"\n", start)
    return len(text) if end < 0 else end
