"""Objects that depend on the tables of a MariaDB or MySQL database: stored programs and views.

An object that the server cannot show is only reported in the notes.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from ...errors import FasciculusError, StatementError
from ..sql.members import Member, text
from ..sql.server import Server
from . import charsets
from .dialect import HEAD
from .literals import quote_name
from .statements import as_client, commented, delimited, prepared, written

#: MariaDB prepares every kind of statement since then.
_PREPARES_ALL = (10, 6)


class Writer:
    """Writes programs for a server: as literals if it can prepare them, else as UTF-8."""

    def __init__(self, server: Server, is_mariadb: bool, version: tuple[int, ...]) -> None:
        self._server = server
        self.is_mariadb = is_mariadb
        self._prepares = is_mariadb and version >= _PREPARES_ALL

    def program(
        self, text: bytes, sql_mode: str, charset: str, collation: str, zone: str = ""
    ) -> bytes:
        """Return a stored program under its own settings."""
        if self._prepares:
            return as_client(prepared(text), sql_mode, charset, collation, zone)
        utf8 = charsets.decoded(self._server, text, charset)
        own = charset if utf8 is text and charset in charsets.UTF8 else "utf8mb4"
        order = collation if own == charset else ""
        return as_client(delimited(utf8), sql_mode, own, order, zone)


def routines(server: Server, database: str, writer: Writer, notes: list[str]) -> Iterator[Member]:
    """Functions, procedures and packages, each under the settings that it was made with."""
    kinds = ["FUNCTION", "PROCEDURE"]
    if writer.is_mariadb:
        kinds += ["PACKAGE", "PACKAGE BODY"]
    bodies = []
    for kind in kinds:
        for row in server.rows(
            "SELECT routine_name, routine_comment FROM information_schema.routines WHERE "
            "routine_schema=%s AND routine_type=%s ORDER BY routine_name",
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
            charset = text(shown[3])
            mode, comment = text(shown[1]), text(row[1])
            body, later = charsets.own(server, shown[2], charset, comment=comment, sql_mode=mode)
            bodies.append(writer.program(body, mode, charset, text(shown[4])))
            if later:
                bodies.append(commented(kind, name, later, mode))
    if bodies:
        yield Member("90000-routines.sql", HEAD + b"".join(bodies))


def views(server: Server, database: str, notes: list[str]) -> Iterator[Member]:
    """Yield the views, those that others build on first. One that cannot work anywhere is a
    comment.
    """
    definitions = {
        text(row[0]): text(row[1])
        for row in server.rows(
            "SELECT table_name, view_definition FROM information_schema.views "
            "WHERE table_schema=%s ORDER BY table_name",
            database,
        )
    }
    made: dict[str, str] = {}
    settings: dict[str, tuple[str, str]] = {}
    for name, definition in definitions.items():
        shown = _shown(server, "VIEW", database, name, notes)
        if shown is None:
            continue
        made[name] = _unqualified(text(shown[1]), database)
        settings[name] = text(shown[2]), text(shown[3])
        if not _works(server, name, definition):
            notes.append(
                f"view {database}.{name} does not work on the server (it refers to a missing "
                "object); it is kept as a comment"
            )
            made[name] = f"-- not valid when it was read: x'{made[name].encode().hex()}'"
    if made:
        lines = [_view(server, made[name], *settings[name]) for name in _in_order(made)]
        yield Member("91000-views.sql", HEAD + b"".join(lines))


def _view(server: Server, view: str, charset: str, collation: str) -> bytes:
    """Return a view in the character set of the client that made it: what it writes out has that
    one.
    """
    if view.startswith("--"):
        return f"{view}\n".encode()
    encoded = charsets.encoded(server, view, charset)
    if encoded is None:
        return as_client(written(view.encode()))
    return as_client(written(encoded), charset=charset, collation=collation)


_NAME = r"`(?:[^`]|``)*`"
_WHOLE_NAME = re.compile(
    rf"'(?:[^'\\]|\\.|'')*'|({_NAME})\.(?={_NAME}\.{_NAME})|{_NAME}", re.DOTALL
)


def _unqualified(view: str, database: str) -> str:
    """Return a view's text without its database name, which a restore may change.

    The server leaves it in the columns of a view that it could not look into.
    """
    own = quote_name(database)
    return _WHOLE_NAME.sub(lambda match: "" if match[1] == own else match[0], view)


def _works(server: Server, name: str, definition: str) -> bool:
    """Return whether a view can be made: it can be selected from, or what it selects can.

    The server reports the same error for a view whose definer is missing and for one that refers to
    a missing object.
    """
    for query in (f"SELECT 1 FROM {quote_name(name)} LIMIT 0", f"({definition}) LIMIT 0"):
        try:
            server.rows(query)
            return True
        except StatementError:
            continue
    return False


def triggers(
    server: Server, database: str, tables: list[str], writer: Writer, notes: list[str]
) -> Iterator[Member]:
    """Yield the triggers of some tables, in the order in which they act."""
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
                    writer.program(shown[2] or b"", text(shown[1]), text(shown[3]), text(shown[4]))
                )
    if bodies:
        yield Member("92000-triggers.sql", HEAD + b"".join(bodies))


def events(server: Server, database: str, writer: Writer, notes: list[str]) -> Iterator[Member]:
    """Yield the events, each in the time zone that it was made in."""
    bodies = []
    for row in server.rows(
        "SELECT event_name, event_comment FROM information_schema.events WHERE "
        "event_schema=%s ORDER BY event_name",
        database,
    ):
        name, comment = text(row[0]), text(row[1])
        shown = _shown(server, "EVENT", database, name, notes)
        if shown is None:
            continue
        mode, charset = text(shown[1]), text(shown[4])
        body, later = charsets.own(server, shown[3] or b"", charset, name, comment, mode)
        bodies.append(writer.program(body, mode, charset, text(shown[5]), zone=text(shown[2])))
        if later:
            bodies.append(commented("EVENT", name, later, mode))
    if bodies:
        yield Member("93000-events.sql", HEAD + b"".join(bodies))


def _shown(
    server: Server, kind: str, database: str, name: str, notes: list[str]
) -> Sequence[bytes | None] | None:
    """Return what ``SHOW CREATE`` says of one thing; None, and a note, where the server refuses.

    The text of stored programs is byte for byte that of the client that created them, in the stated
    character set: the server would misread its characters.
    """
    raw = kind != "VIEW"
    try:
        if raw:
            server.rows("SET character_set_results=NULL")
        return server.rows(f"SHOW CREATE {kind} {quote_name(name)}")[0]
    except StatementError as error:
        notes.append(f"{kind.lower()} {database}.{name} is not in the bundle: {error.sentence()}")
        return None
    finally:
        if raw:
            server.rows("SET character_set_results=utf8mb4")


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
