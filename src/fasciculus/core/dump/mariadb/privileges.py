"""Privileges of a database user, from ``SHOW GRANTS``."""

from __future__ import annotations

import re
from collections.abc import Iterable

#: Needed to read a database whole: without them views, triggers and events are hidden without a
#: word.
NEEDED = ("SELECT", "SHOW VIEW", "TRIGGER", "EVENT")

_GRANT = re.compile(r"GRANT (?P<rights>.*?) ON (?P<where>\S+|`.*`\.\S+) TO ", re.DOTALL)


def missing(grants: Iterable[str], database: str) -> list[str]:
    """Return the needed rights on a database that none of the grants gives.

    A granted role may include any privilege: then nothing counts as missing.
    """
    have: set[str] = set()
    for line in grants:
        match = _GRANT.match(line)
        if match is None:
            if line.startswith("GRANT `") or re.match(r"GRANT \S+ TO ", line):
                return []
            continue
        if _covers(match["where"], database):
            rights = {
                right.strip().upper()
                for right in re.sub(r"\(.*?\)", "", match["rights"]).split(",")
            }
            have |= set(NEEDED) if rights & {"ALL PRIVILEGES", "ALL"} else rights
    return [right for right in NEEDED if right not in have]


def grant_to_bundle(user: str) -> str:
    """Return the GRANT statement for reading every database."""
    return f"GRANT {', '.join(NEEDED)} ON *.* TO {user};"


def grant_to_restore(user: str) -> str:
    """Return the GRANT statement for restoring any database with its users."""
    return f"GRANT ALL PRIVILEGES ON *.* TO {user} WITH GRANT OPTION;"


def may_restore(grants: Iterable[str]) -> bool:
    """Return whether a user may make again whatever a bundle holds of a server."""
    return any(
        line.startswith("GRANT ALL PRIVILEGES ON *.*") and "WITH GRANT OPTION" in line
        for line in grants
    )


def _covers(where: str, database: str) -> bool:
    """Return whether ``*.*`` or a database pattern (with ``_`` and ``%``, escaped by ``\\``) means
    the database.
    """
    if where == "*.*":
        return True
    match = re.fullmatch(r"(`(?:[^`]|``)*`|[^`.]+)\.\*", where)
    if match is None:
        return False
    name = match[1].strip("`").replace("``", "`")
    pattern, escape = "", False
    for letter in name:
        if escape or letter not in "\\_%":
            pattern, escape = pattern + re.escape(letter), False
        elif letter == "\\":
            escape = True
        else:
            pattern += "." if letter == "_" else ".*"
    return re.fullmatch(pattern, database, re.DOTALL) is not None


def grants_on(lines: Iterable[str], database: str) -> list[str]:
    """Return those of a user's grants that name the database, or something in it."""
    found = []
    for line in lines:
        match = re.search(r" ON (?:PROCEDURE |FUNCTION )?(`(?:[^`]|``)*`|[^`.\s]+)\.", line)
        if match and match[1] != "*" and _covers(f"{match[1]}.*", database):
            found.append(line)
    return found
