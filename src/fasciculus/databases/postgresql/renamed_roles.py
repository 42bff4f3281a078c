"""Roles of a database in a dump, under other names for a copy of it."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping

from ...core.dump.postgresql.dialect import quote_name
from ...core.dump.postgresql.statements import statements

_NAME = r'(?:"(?:[^"]|"")+"|[a-z_][a-z0-9_$]*)'
_CREATED = re.compile(rf"CREATE ROLE ({_NAME}) WITH ([^;]*)")
#: Words that are followed by roles in the statements of owners and roles.
_ROLES = re.compile(
    rf"(OWNER TO |CREATE ROLE |FOR ROLE |ALTER ROLE |GRANT |FROM |TO |rolname = )({_NAME}|'[^']*')"
)


def new_names(member: bytes, rename: Callable[[str], str]) -> dict[str, str]:
    """Return new names for the roles that a member creates; superusers keep theirs."""
    found = {}
    for match in _CREATED.finditer(member.decode("utf-8", "surrogateescape")):
        if not re.search(r"(?<!NO)SUPERUSER", match[2]):
            name = _plain(match[1])
            found[name] = rename(name)
    return found


def renamed(member: bytes, names: Mapping[str, str]) -> bytes:
    """Return the statements of a member for roles under other names."""
    return b"".join(_renamed(member, names))


def _renamed(member: bytes, names: Mapping[str, str]) -> Iterator[bytes]:
    def other(match: re.Match[str]) -> str:
        name = _plain(match[2])
        if name not in names:
            return match[0]
        if match[2].startswith("'"):
            return match[1] + "'" + names[name].replace("'", "''") + "'"
        return match[1] + quote_name(names[name])

    for statement, rows in statements(member):
        text = statement.decode("utf-8", "surrogateescape")
        is_setting = re.search(r" SET \w+ TO ", text) is not None
        if rows is None and not is_setting:
            text = _ROLES.sub(other, text)
        yield text.encode("utf-8", "surrogateescape") + b";\n"


def _plain(name: str) -> str:
    mark = name[0]
    return name[1:-1].replace(mark * 2, mark) if mark in "\"'" else name
