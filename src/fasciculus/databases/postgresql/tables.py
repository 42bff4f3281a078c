"""Tables of a PostgreSQL database: sizes, checksums, and rows for another database."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator

from ...core.dump.filters import DumpRules
from ...core.dump.postgresql.dialect import EXTENSIONS, SCHEMA
from ...core.dump.postgresql.dump import Dump
from ...core.dump.postgresql.statements import statements
from ...core.dump.sql.members import Member, rows_of
from ...core.errors import StatementError
from ..base import DatabaseAccess
from ..refused_statements import RefusedStatements
from .server import PostgreSqlConnection, opened

_OWN = "n.nspname !~ '^pg_' AND n.nspname <> 'information_schema' AND c.relkind = 'r'"


def names(server: PostgreSqlConnection) -> dict[str, str]:
    """Return the tables with rows of their own: their names as SQL by those that people write."""
    return {
        str(called): str(name)
        for called, name in server.rows(
            "SELECT n.nspname || '.' || c.relname, pg_catalog.quote_ident(n.nspname) || '.' || "
            "pg_catalog.quote_ident(c.relname) FROM pg_catalog.pg_class c JOIN "
            f"pg_catalog.pg_namespace n ON n.oid = c.relnamespace WHERE {_OWN} ORDER BY 1"
        )
    }


def sizes(server: PostgreSqlConnection) -> dict[str, int]:
    """Return the bytes of each table with its indexes."""
    return {
        str(called): int(size or 0)
        for called, size in server.rows(
            "SELECT n.nspname || '.' || c.relname, pg_catalog.pg_total_relation_size(c.oid) FROM "
            "pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace WHERE "
            f"{_OWN}"
        )
    }


def owners(server: PostgreSqlConnection, wanted: Collection[str]) -> dict[str, str]:
    """Return the owners of some tables."""
    return {
        str(called): str(owner)
        for called, owner in server.rows(
            "SELECT n.nspname || '.' || c.relname, pg_catalog.pg_get_userbyid(c.relowner) FROM "
            "pg_catalog.pg_class c JOIN pg_catalog.pg_namespace n ON n.oid = c.relnamespace WHERE "
            f"{_OWN}"
        )
        if called in wanted
    }


def count(server: PostgreSqlConnection, name: str) -> int | None:
    """Return the number of rows, None if the table cannot be read."""
    try:
        return int(server.rows(f"SELECT count(*) FROM ONLY {name}")[0][0] or 0)
    except StatementError:
        return None


def checksum(server: PostgreSqlConnection, name: str) -> str:
    """Return a checksum of a table's rows in any order, empty if it is not there."""
    try:
        ((found,),) = server.rows(
            "SELECT count(*) || ':' || coalesce(sum(pg_catalog.hashtextextended(t::text, 0)"
            f"::numeric), 0) FROM ONLY {name} t"
        )
    except StatementError:
        return ""
    return str(found)


def columns(server: PostgreSqlConnection, name: str) -> str:
    """Return the columns of a table that rows are written with, as SQL."""
    rows = server.rows(
        "SELECT pg_catalog.quote_ident(attname) FROM pg_catalog.pg_attribute WHERE attrelid = "
        "%s::pg_catalog.regclass AND attnum > 0 AND NOT attisdropped AND attgenerated = '' "
        "ORDER BY attnum",
        name,
    )
    return ", ".join(str(row[0]) for row in rows)


def copy_rows(source: PostgreSqlConnection, target: PostgreSqlConnection, name: str) -> None:
    """Put the rows of a table in place of those of the same table of another database."""
    target.rows(f"DELETE FROM ONLY {name}")
    given = columns(source, name)
    if not given:
        lines = source.copy_out(f"COPY (SELECT FROM ONLY {name}) TO STDOUT")
        target.copy_lines(f"COPY {name} FROM STDIN", lines)
        return
    lines = source.copy_out(f"COPY {name} ({given}) TO STDOUT")
    target.copy_lines(f"COPY {name} ({given}) FROM STDIN", lines)


def copy_tables(
    access: DatabaseAccess,
    source: str,
    target: PostgreSqlConnection,
    wanted: Collection[str],
    refuse: Callable[[str], None],
) -> None:
    """Create tables of a database in another one, with their rows, keys and triggers."""
    if wanted:
        patterns = tuple(_literal(name) for name in sorted(wanted))
        with opened(access, source) as server:
            for member in Dump(server, source, DumpRules(tables=patterns)):
                _load(target, member, refuse)


def copy_structure(
    access: DatabaseAccess,
    source: str,
    target: PostgreSqlConnection,
    wanted: Collection[str],
    refuse: Callable[[str], None],
) -> None:
    """Create everything that tables may need in an empty database, and put the rows of some
    there, without keys and triggers.
    """
    with opened(access, source) as server:
        others = tuple(_literal(name) for name in names(server) if name not in wanted)
        for member in Dump(server, source, DumpRules(without_rows=others)):
            if member.name in (EXTENSIONS, SCHEMA) or rows_of(member.name):
                _load(target, member, refuse)


def _load(target: PostgreSqlConnection, member: Member, refuse: Callable[[str], None]) -> None:
    refused = RefusedStatements(member.name, refuse)
    for statement, rows in statements(member.data):
        try:
            if rows is None:
                target.execute(statement)
            else:
                target.copy_in(statement, rows)
        except StatementError as error:
            refused.name(statement, error)
    refused.finish()


def _literal(name: str) -> str:
    """Return a pattern that means exactly one table."""
    return "".join(f"[{c}]" if c in "*?[" else c for c in name)


class ReplacedRows:
    """The exchange of the rows of some tables in one transaction: without triggers, and with
    references put back afterwards.
    """

    def __init__(self, server: PostgreSqlConnection, refuse: Callable[[str], None]) -> None:
        self._server, self._refuse = server, refuse

    def run(self, source: PostgreSqlConnection, wanted: Collection[str]) -> None:
        """Put the rows of another database in place of those of the same tables."""
        server = self._server
        server.rows("BEGIN")
        try:
            keys = list(self._references(wanted))
            states = list(self._triggers(wanted))
            for table, name, _ in keys:
                server.rows(f"ALTER TABLE {table} DROP CONSTRAINT {name}")
            for name in wanted:
                server.rows(f"ALTER TABLE {name} DISABLE TRIGGER USER")
            for name in wanted:
                copy_rows(source, server, name)
            for table, trigger, word in states:
                server.rows(f"ALTER TABLE {table} {word} TRIGGER {trigger}")
            for table, name, words in keys:
                self._refer_again(table, name, words)
            self._sequences(source, wanted)
            server.rows("COMMIT")
        except BaseException:
            server.rows("ROLLBACK")
            raise

    def _references(self, wanted: Collection[str]) -> Iterator[tuple[str, str, str]]:
        for table, other, name, words in self._server.rows(
            "SELECT k.conrelid::pg_catalog.regclass, k.confrelid::pg_catalog.regclass, "
            "pg_catalog.quote_ident(k.conname), pg_catalog.pg_get_constraintdef(k.oid) FROM "
            "pg_catalog.pg_constraint k WHERE k.contype = 'f' AND k.conparentid = 0 ORDER BY 1, 3"
        ):
            if table in wanted or other in wanted:
                yield str(table), str(name), str(words)

    def _triggers(self, wanted: Collection[str]) -> Iterator[tuple[str, str, str]]:
        """Yield the triggers with the words for their present state."""
        states = {
            "O": "ENABLE",
            "D": "DISABLE",
            "A": "ENABLE ALWAYS",
            "R": "ENABLE REPLICA",
        }
        for table, name, state in self._server.rows(
            "SELECT tgrelid::pg_catalog.regclass, pg_catalog.quote_ident(tgname), tgenabled FROM "
            "pg_catalog.pg_trigger WHERE NOT tgisinternal ORDER BY 1, 2"
        ):
            if table in wanted:
                yield str(table), str(name), states[str(state)]

    def _refer_again(self, table: str, name: str, words: str) -> None:
        server = self._server
        server.rows("SAVEPOINT key")
        try:
            server.rows(f"ALTER TABLE {table} ADD CONSTRAINT {name} {words}")
        except StatementError:
            server.rows("ROLLBACK TO SAVEPOINT key")
            plain = words.removesuffix(" NOT VALID")
            server.rows(f"ALTER TABLE {table} ADD CONSTRAINT {name} {plain} NOT VALID")
            if plain == words:
                self._refuse(
                    f"constraint {name} of {table} is not valid any more: some rows refer to "
                    "others that do not exist"
                )

    def _sequences(self, source: PostgreSqlConnection, wanted: Collection[str]) -> None:
        """Set the sequences of columns as in the other database."""
        for table, name in source.rows(
            "SELECT d.refobjid::pg_catalog.regclass, d.objid::pg_catalog.regclass FROM "
            "pg_catalog.pg_depend d JOIN pg_catalog.pg_class c ON c.oid = d.objid AND c.relkind = "
            "'S' WHERE d.classid = 'pg_catalog.pg_class'::pg_catalog.regclass AND d.refobjsubid > 0"
        ):
            if table in wanted:
                ((last, called),) = source.rows(f"SELECT last_value, is_called FROM {name}")
                self._server.rows(
                    f"SELECT pg_catalog.setval(%s, {last}, {'true' if called == 't' else 'false'})",
                    str(name),
                )
