"""What builds on the tables of a MariaDB or MySQL database: stored programs, views, users.

What the server cannot show costs itself alone, and is named in the notes.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from ..errors import FasciculusError, StatementError
from . import privileges
from .literals import quote_name
from .members import HEAD, USERS, Member, sql_text, text
from .server import Server


def routines(server: Server, database: str, is_mariadb: bool, notes: list[str]) -> Iterator[Member]:
    """Functions, procedures and packages, each under the settings that it was made with."""
    kinds = ["FUNCTION", "PROCEDURE"]
    if is_mariadb:
        kinds += ["PACKAGE", "PACKAGE BODY"]
    bodies = []
    for kind in kinds:
        for row in server.rows(
            "SELECT routine_name FROM information_schema.routines WHERE routine_schema=%s AND "
            "routine_type=%s ORDER BY routine_name",
            database,
            kind,
        ):
            name = text(row[0])
            shown = _shown(server, kind, database, name, notes)
            if shown is None:
                continue
            if shown[2] is None:
                raise FasciculusError(
                    f"The text of {kind.lower()} {database}.{name} may not be read.",
                    "Give the database user: GRANT SELECT ON `mysql`.* TO …; or SHOW CREATE "
                    "ROUTINE.",
                )
            bodies.append(_program(shown[2], text(shown[1]), text(shown[3]), text(shown[4])))
    if bodies:
        yield Member("90000-routines.sql", HEAD + b"".join(bodies))


def views(server: Server, database: str, notes: list[str]) -> Iterator[Member]:
    """The views, those that others build on first. One that cannot work anywhere is a comment."""
    definitions = {
        text(row[0]): text(row[1])
        for row in server.rows(
            "SELECT table_name, view_definition FROM information_schema.views "
            "WHERE table_schema=%s ORDER BY table_name",
            database,
        )
    }
    made: dict[str, str] = {}
    for name, definition in definitions.items():
        shown = _shown(server, "VIEW", database, name, notes)
        if shown is None:
            continue
        made[name] = _unqualified(text(shown[1]), database)
        if not _works(server, name, definition):
            notes.append(
                f"view {database}.{name} does not work on the server (it names "
                "what is gone); it is kept as a comment"
            )
            made[name] = (
                "/* not valid when it was read:\n" + made[name].replace("*/", "* /") + "\n*/"
            )
    if made:
        lines = [f"{made[name]};\n".encode() for name in _in_order(made)]
        yield Member("91000-views.sql", HEAD + b"".join(lines))


_NAME = r"`(?:[^`]|``)*`"
_WHOLE_NAME = re.compile(
    rf"'(?:[^'\\]|\\.|'')*'|({_NAME})\.(?={_NAME}\.{_NAME})|{_NAME}", re.DOTALL
)


def _unqualified(view: str, database: str) -> str:
    """A view's text without the name of its own database, which a restore may change.

    The server leaves it in the columns of a view that it could not look into.
    """
    own = quote_name(database)
    return _WHOLE_NAME.sub(lambda match: "" if match[1] == own else match[0], view)


def _works(server: Server, name: str, definition: str) -> bool:
    """Whether a view can be made: it can be selected from, or what it selects can.

    The server says the same of a view whose definer is gone as of one that names what is gone.
    """
    for query in (f"SELECT 1 FROM {quote_name(name)} LIMIT 0", f"({definition}) LIMIT 0"):
        try:
            server.rows(query)
            return True
        except StatementError:
            continue
    return False


def triggers(
    server: Server, database: str, tables: list[str], notes: list[str]
) -> Iterator[Member]:
    """The triggers of some tables, in the order in which they act."""
    bodies = []
    for name, table in server.rows(
        "SELECT trigger_name, event_object_table FROM information_schema.triggers WHERE "
        "trigger_schema=%s ORDER BY event_object_table, action_timing, event_manipulation, "
        "action_order",
        database,
    ):
        if text(table) in tables:
            shown = _shown(server, "TRIGGER", database, text(name), notes)
            if shown is not None:
                bodies.append(
                    _program(shown[2] or b"", text(shown[1]), text(shown[3]), text(shown[4]))
                )
    if bodies:
        yield Member("92000-triggers.sql", HEAD + b"".join(bodies))


def events(server: Server, database: str, notes: list[str]) -> Iterator[Member]:
    """The events, each in the time zone that it was made in."""
    bodies = []
    for row in server.rows(
        "SELECT event_name FROM information_schema.events WHERE "
        "event_schema=%s ORDER BY event_name",
        database,
    ):
        shown = _shown(server, "EVENT", database, text(row[0]), notes)
        if shown is None:
            continue
        bodies.append(
            f"SET time_zone={sql_text(text(shown[2]))};\n".encode()
            + _program(shown[3] or b"", text(shown[1]), text(shown[4]), text(shown[5]))
        )
    if bodies:
        yield Member("93000-events.sql", HEAD + b"".join(bodies))


def database_users(server: Server, database: str, notes: list[str]) -> Iterator[Member]:
    """The users that have rights on the database, with those rights."""
    try:
        found = [
            (text(row[0]), text(row[1]))
            for row in server.rows(
                "SELECT user, host, db FROM mysql.db UNION SELECT user, host, db FROM "
                "mysql.tables_priv "
                "UNION SELECT user, host, db FROM mysql.columns_priv UNION "
                "SELECT user, host, db FROM mysql.procs_priv"
            )
            if row[0]
        ]
        lines = users(server, sorted(set(found)), database)
    except FasciculusError as error:
        notes.append(
            f"database {database}: its users and their rights are not kept: {error.sentence()}"
        )
        return
    if lines:
        yield Member(USERS, b"".join(lines))


def _shown(
    server: Server, kind: str, database: str, name: str, notes: list[str]
) -> Sequence[bytes | None] | None:
    """What ``SHOW CREATE`` says of one thing; None, and a note, where the server refuses."""
    try:
        return server.rows(f"SHOW CREATE {kind} {quote_name(name)}")[0]
    except StatementError as error:
        notes.append(f"{kind.lower()} {database}.{name} is not in the bundle: {error.sentence()}")
        return None


def users(server: Server, names: Sequence[tuple[str, str]], database: str = "") -> list[bytes]:
    """Statements that make users again with their rights on a database, or with all of them."""
    lines: list[bytes] = []
    for user, host in names:
        who = f"{sql_text(user)}@{sql_text(host)}"
        try:
            granted = [text(row[0]) for row in server.rows(f"SHOW GRANTS FOR {who}")]
            wanted = privileges.grants_on(granted, database) if database else granted
            if not wanted:
                continue
            made = text(server.rows(f"SHOW CREATE USER {who}")[0][0])
        except FasciculusError as error:
            if (
                "no such grant" in error.message.lower()
                or "can't find any matching row" in error.message.lower()
            ):
                continue
            raise
        lines.append(re.sub(r"^CREATE USER ", "CREATE USER IF NOT EXISTS ", made).encode() + b";\n")
        # The password belongs to the user, not to a grant.
        lines += [
            re.sub(r" IDENTIFIED BY PASSWORD '[^']*'", "", line).encode() + b";\n"
            for line in wanted
        ]
    return lines


def _program(text: bytes, sql_mode: str, charset: str, collation: str) -> bytes:
    """A stored program between delimiters that do not occur in it, under its own settings."""
    number, mark = 0, b"//"
    while mark in text:
        number += 1
        mark = b"//%d//" % number
    # Where its letters are the same bytes in the character set it was written in, it keeps that.
    same = (
        text.isascii()
        or charset == "utf8mb4"
        or (charset in ("utf8", "utf8mb3") and not any(byte >= 0xF0 for byte in text))
    )
    client = charset if same and charset else "utf8mb4"
    return (
        (
            f"SET sql_mode={sql_text(sql_mode)};\nSET character_set_client={client};\n"
            f"SET collation_connection={collation or 'utf8mb4_general_ci'};\n"
            f"DELIMITER {mark.decode()}\n"
        ).encode()
        + text
        + (f"\n{mark.decode()}\nDELIMITER ;\nSET NAMES utf8mb4;\n").encode()
    )


def _in_order(made: dict[str, str]) -> list[str]:
    """View names, those that others mention first."""
    done: list[str] = []

    def visit(name: str, path: tuple[str, ...]) -> None:
        if name in done or name in path:
            return
        for other in made:
            if other != name and quote_name(other) in made[name]:
                visit(other, (*path, name))
        done.append(name)

    for name in made:
        visit(name, ())
    return done
