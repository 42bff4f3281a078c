"""Users of a database in a dump, as users of another database under other names."""

from __future__ import annotations

import re
from collections.abc import Callable

from .dialect import SETTINGS, sql_text
from .literals import quote_name
from .loader import statements

_TEXT = r"'(?:[^'\\]|\\.|'')*'|`(?:[^`]|``)*`"
_CREATE = re.compile(rf"CREATE USER IF NOT EXISTS ({_TEXT})@({_TEXT})(.*)", re.S)
_GRANT = re.compile(
    rf"GRANT (.*?) ON (PROCEDURE |FUNCTION )?(`(?:[^`]|``)*`)\.(.*?) TO ({_TEXT})@({_TEXT})(.*)",
    re.S,
)


class RenamedUsers:
    """The statements for the users of a database under other names, with their passwords and their
    rights on that database only; ``names`` are the new names by the former ones.

    Roles, and rights on anything else, are left out.
    """

    def __init__(
        self, member: bytes, old_database: str, database: str, rename: Callable[[str], str]
    ) -> None:
        self.names: dict[str, str] = {}
        #: As statements name them.
        self.users: list[str] = []
        lines = []
        for statement in statements(member):
            line = statement.decode("utf-8", "surrogateescape")
            if made := _CREATE.fullmatch(line):
                old = _unquoted(made[1])
                self.names[old] = rename(old)
                who = f"{sql_text(self.names[old])}@{made[2]}"
                self.users.append(who)
                lines.append(f"CREATE USER IF NOT EXISTS {who}{made[3]}")
            elif (given := _GRANT.fullmatch(line)) and _is_of(given[3], old_database):
                user = self.names.get(_unquoted(given[5]))
                if user is not None:
                    where = _pattern(database) if given[4] == "*" else quote_name(database)
                    lines.append(
                        f"GRANT {given[1]} ON {given[2] or ''}{where}.{given[4]} TO "
                        f"{sql_text(user)}@{given[6]}{given[7]}"
                    )
        text = "".join(f"{line};\n" for line in lines)
        self.member = SETTINGS + text.encode("utf-8", "surrogateescape")


def _unquoted(text: str) -> str:
    mark = text[0]
    inner = text[1:-1].replace(mark * 2, mark)
    return re.sub(r"\\(.)", r"\1", inner) if mark == "'" else inner


def _is_of(quoted: str, database: str) -> bool:
    """Return whether the name in a grant, which may have escapes, is that of a database."""
    return re.sub(r"\\([_%])", r"\1", _unquoted(quoted)) == database


def _pattern(database: str) -> str:
    return quote_name(database.replace("_", "\\_").replace("%", "\\%"))
