"""PostgreSQL databases exchanged in place: by renaming, table by table, undone, as a copy."""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path
from typing import Any

import psycopg
import pytest
from postgresql_sample import access, dumped, everything, fresh, loaded, picture, rows

from fasciculus.core.errors import SettingError
from fasciculus.databases.base import EXCHANGE_PREFIX, Exchange
from fasciculus.databases.postgresql import exchange as module
from fasciculus.databases.postgresql.engine import ENGINE
from fasciculus.databases.postgresql.exchange import PostgreSqlExchange

pytestmark = pytest.mark.xdist_group("postgresql")
PREFIX = f"{EXCHANGE_PREFIX}7_1"
#: The tables belong to the customer, as those of hosting accounts do.
GIVEN = """
DO $$ DECLARE t record; BEGIN
  FOR t IN SELECT oid::regclass AS name FROM pg_class WHERE relkind IN ('r', 'p') AND oid > 16384
    AND relnamespace::regnamespace::text !~ '^pg_'
  LOOP EXECUTE format('ALTER TABLE %s OWNER TO potter', t.name); END LOOP;
END $$;
GRANT ALL ON SCHEMA shop, "Odd ""Names"" – ü" TO potter;
ALTER TYPE shop.size OWNER TO potter;
ALTER FUNCTION shop.doubled(integer) OWNER TO potter
"""
COUNTS = "SELECT (SELECT count(*) FROM shop.pots), (SELECT count(*) FROM shop.base)"


class Shop:
    """A database, its bundle, and the steps of one exchange."""

    def __init__(self, server: Any, tmp_path: Path) -> None:
        self.server, self.folder = server, tmp_path / "kept"
        self.access = access(server, tmp_path)
        self.bundled = dumped(self.access, "pots")
        self.exchanging = PostgreSqlExchange()
        self.refused: list[str] = []

    def stage(self, name: str = "pots", **more: Any) -> Exchange:
        exchange = Exchange(engine="postgresql", name=name, prefix=PREFIX, trusted=True, **more)
        steps = self.exchanging.stage(
            self.access,
            exchange,
            self.bundled.record,
            self.bundled.entries(),
            self.refused.append,
            self.folder,
        )
        assert len(list(steps)) > 2
        return exchange

    def run(self, exchange: Exchange) -> None:
        self.exchanging.run(self.access, exchange, self.refused.append, self.folder)

    def undo(self, exchange: Exchange) -> None:
        self.exchanging.undo(self.access, exchange, self.refused.append, self.folder)

    def changed(self, exchange: Exchange) -> list[str]:
        return self.exchanging.changed(self.access, exchange)

    def drop(self) -> None:
        self.exchanging.drop(self.access, PREFIX)

    def query(self, sql: str, database: str = "pots") -> Any:
        with self.server.connect(database) as connection:
            return rows(connection, sql)

    def change(self, *statements: str) -> None:
        self.server.run(*statements, database="pots")

    def picture(self, name: str = "pots") -> str:
        return picture(self.server.socket, name)

    def scratch(self) -> list[str]:
        found = self.query("SELECT datname FROM pg_database WHERE datname LIKE 'fasciculus%'")
        return [row[0] for row in found]


@pytest.fixture
def shop(postgresql: Any, tmp_path: Path) -> Any:
    everything(postgresql)
    fresh(postgresql, *(f"{PREFIX}_{kind}" for kind in ("new", "old", "undone", "part")), "copy")
    for role in ("potter_copy", "clerk_copy"):
        postgresql.run(f"DROP ROLE IF EXISTS {role}")
    postgresql.run(GIVEN, database="pots")
    return Shop(postgresql, tmp_path)


def test_a_database_is_exchanged_and_undone(shop: Any) -> None:
    saved = shop.picture()
    shop.change(
        "DELETE FROM shop.pots WHERE id > 50",
        "CREATE TABLE public.mine (n integer)",
        "INSERT INTO public.mine VALUES (7)",
        "DROP VIEW shop.editable",
    )
    before = shop.picture()
    exchange = shop.stage()
    assert shop.picture() == before and exchange.existed, "nothing in use has changed"
    shop.run(exchange)
    assert shop.refused == [] and shop.changed(exchange) == []
    assert shop.query("SELECT n FROM public.mine") == [(7,)], "tables the bundle has not stay"
    shop.change("DROP TABLE public.mine")
    assert shop.picture() == saved
    shop.change("UPDATE ONLY shop.base SET note = 'later'")
    assert shop.changed(exchange) == ["shop.base"]
    shop.run(exchange)
    shop.undo(exchange)
    shop.undo(exchange)
    assert shop.picture() == before and shop.scratch() == [f"{PREFIX}_undone"]
    shop.drop()
    assert shop.scratch() == []


@pytest.mark.parametrize("cut", [1, 2])
@pytest.mark.parametrize("step", ["run", "undo"])
def test_cut_between_the_renames_it_is_finished(
    shop: Any, monkeypatch: pytest.MonkeyPatch, cut: Any, step: Any
) -> None:
    shop.change("DELETE FROM shop.pots WHERE id > 50")
    before = shop.query(COUNTS)
    exchange = shop.stage()
    if step == "undo":
        shop.run(exchange)
    whole, count = module._rename, iter(range(1, 9))

    def rename(*what: Any) -> None:
        if next(count) == cut:
            raise KeyboardInterrupt
        whole(*what)

    with monkeypatch.context() as patch, pytest.raises(KeyboardInterrupt):
        patch.setattr(module, "_rename", rename)
        getattr(shop, step)(exchange)
    getattr(shop, step)(exchange)
    assert shop.query(COUNTS) == ([(500, 2)] if step == "run" else before)
    shop.drop()


def test_those_who_are_connected_do_not_stop_it(shop: Any) -> None:
    exchange = shop.stage()
    with suppress(psycopg.OperationalError), shop.server.connect("pots") as connection:
        connection.execute("BEGIN")
        connection.execute("SELECT 1 FROM shop.pots")
        shop.run(exchange)
    assert shop.query(COUNTS) == [(500, 2)]
    shop.drop()


def test_a_dropped_table_comes_back_alone(shop: Any) -> None:
    shop.change(
        "DELETE FROM shop.pots WHERE id > 50",
        "DROP TABLE shop.cache",
        "UPDATE shop.base SET note = 'kept'",
        "DELETE FROM shop.child",
    )
    before = shop.picture()
    exchange = shop.stage(tables=["shop.pots", "shop.cache"])
    assert sorted(exchange.loaded) == ["shop.cache", "shop.pots"]
    shop.run(exchange)
    assert shop.refused == [], shop.refused
    assert shop.query("SELECT count(*) FROM shop.cache") == [(2,)]
    assert shop.query("SELECT count(*), min(note) FROM shop.base") == [(1, "kept")]
    assert shop.query("SELECT count(*) FROM shop.pots") == [(500,)]
    assert shop.query("SELECT nextval('shop.pots_id_seq')") == [(510,)]
    assert shop.changed(exchange) == []
    shop.run(exchange)
    shop.undo(exchange)
    assert shop.refused == [], shop.refused
    # The value of a sequence is all that a transaction does not take back.
    plain = [line for line in before.splitlines() if "setval" not in line]
    assert [line for line in shop.picture().splitlines() if "setval" not in line] == plain
    shop.drop()


def test_structure_only_never_takes_the_place_of_rows(shop: Any) -> None:
    del shop.bundled.record.tables["shop.base"]
    shop.bundled.members[:] = [
        member for member in shop.bundled.members if b"-rows-shop%2Ebase-" not in member.path
    ]
    shop.change("INSERT INTO shop.base (id) VALUES (77)")
    exchange = shop.stage()
    shop.run(exchange)
    assert shop.query("SELECT count(*) FROM ONLY shop.base WHERE id = 77") == [(1,)]
    shop.undo(exchange)
    shop.drop()


def test_what_exists_is_kept_and_only_what_is_missing_comes_back(shop: Any) -> None:
    shop.change("DROP TABLE shop.cache", "DELETE FROM shop.pots")
    exchange = shop.stage(keep=True)
    assert list(exchange.loaded) == ["shop.cache"]
    shop.run(exchange)
    assert shop.query("SELECT count(*) FROM shop.cache") == [(2,)]
    assert shop.query("SELECT count(*) FROM shop.pots") == [(0,)]
    shop.drop()


def test_references_to_rows_that_are_gone_are_said(shop: Any) -> None:
    shop.change("INSERT INTO shop.pots (id, name) VALUES (999, $$new$$)")
    shop.change('UPDATE "Odd ""Names"" – ü"."Tab\tle \'x\'" SET "Col ""1""" = 999')
    exchange = shop.stage(tables=["shop.pots"])
    shop.run(exchange)
    assert len(shop.refused) == 1 and "is not valid any more" in shop.refused[0]
    assert shop.query("SELECT count(*) FROM shop.pots") == [(500,)]
    shop.drop()


def test_a_copy_has_roles_and_texts_of_its_own(shop: Any) -> None:
    shop.change("UPDATE shop.base SET note = 'see https://millpond.example/jugs'")
    shop.bundled = dumped(shop.access, "pots")
    exchange = Exchange(engine="postgresql", name="copy", prefix=PREFIX, trusted=True)
    names = shop.exchanging.rename_users(
        shop.access, exchange, shop.bundled.record, shop.bundled.entries(), lambda n: f"{n}_copy"
    )
    assert names == {"potter": "potter_copy", "clerk": "clerk_copy"}
    more = {"users_member": exchange.users_member, "users": exchange.users}
    exchange = shop.stage(name="copy", existed=False, **more)
    texts = {"millpond.example": "try.millpond.example"}
    found = shop.exchanging.rewrite(shop.access, exchange, texts, shop.folder)
    assert [(row.table, row.column, row.rows) for row in found] == [
        ("shop.base", "note", 1),
        ("shop.child", "note", 1),
    ]
    shop.run(exchange)
    assert shop.refused == []
    note = "SELECT DISTINCT note FROM shop.base"
    assert shop.query(note, "copy") == [("see https://try.millpond.example/jugs",)]
    assert shop.query(note) == [("see https://millpond.example/jugs",)]
    owners = "SELECT DISTINCT pg_get_userbyid(relowner) FROM pg_class WHERE relname = 'pots'"
    assert shop.query(owners, "copy") == [("potter_copy",)]
    rights = "SELECT has_table_privilege('potter_copy', 'shop.pots', 'SELECT')"
    assert shop.query(rights) == [(False,)] and shop.query(rights, "copy") == [(True,)]
    with pytest.raises(SettingError, match="already"):
        shop.exchanging.rename_users(
            shop.access, exchange, shop.bundled.record, shop.bundled.entries(), lambda n: n
        )
    shop.undo(exchange)
    shop.drop()
    roles = "SELECT rolname FROM pg_roles WHERE rolname ~ '(copy$|^fasciculus_load)'"
    assert shop.query(roles) == []
    assert shop.query("SELECT count(*) FROM pg_database WHERE datname = 'copy'") == [(0,)]


def test_a_customers_function_never_runs_as_an_administrator(shop: Any) -> None:
    """Checks and defaults run while rows are written, by a role without rights."""
    shop.change(
        "CREATE FUNCTION shop.planted(integer) RETURNS boolean LANGUAGE plpgsql AS $$ BEGIN "
        "BEGIN ALTER ROLE potter SUPERUSER; EXCEPTION WHEN OTHERS THEN NULL; END; RETURN true; END "
        "$$",
        "ALTER TABLE shop.cache ADD COLUMN n integer DEFAULT 1 CHECK (shop.planted(n))",
        "ALTER TABLE shop.cache OWNER TO potter",
    )
    shop.server.run("ALTER ROLE potter NOSUPERUSER")
    shop.bundled = dumped(shop.access, "pots")
    for more in ({}, {"tables": ["shop.cache"]}):
        exchange = shop.stage(**more)
        shop.run(exchange)
        shop.undo(exchange)
        shop.drop()
        shop.folder.rmdir()
    assert shop.query("SELECT rolsuper FROM pg_roles WHERE rolname = 'potter'") == [(False,)]


def test_present_tables_and_the_room_they_take(shop: Any) -> None:
    there = shop.exchanging.present(shop.access, "pots")
    sizes = {row.name: (row.rows, row.bytes) for row in there}
    assert sizes["shop.pots"][0] == 500 and sizes["shop.pots"][1] > 50_000
    assert shop.exchanging.present(shop.access, "nothing") is None
    assert shop.exchanging.data_folder(shop.access) == str(shop.server.data)
    assert ENGINE.exchanging is not None
    loaded(shop.access, shop.bundled, f"{PREFIX}_new")
    shop.exchanging.drop_all(shop.access, "pots")
    assert shop.exchanging.present(shop.access, "pots") is not None
    shop.exchanging.drop_all(shop.access, f"{EXCHANGE_PREFIX}7_")
    assert shop.scratch() == []
