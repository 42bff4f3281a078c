"""Exchanging a database in use: as in the bundle afterwards, undone as before, cut anywhere."""

from __future__ import annotations

import random
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import pymysql
import pytest
from running import mariadb_spec

from fasciculus.core.bundle.entry import Entry
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.databases.base import DatabaseAccess, DatabaseRef, Exchange
from fasciculus.databases.mariadb.engine import ENGINE
from fasciculus.databases.mariadb.server import MariaDbConnection
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts.local import LocalHost

NAME = "millpond_shop"
PREFIX = "fasciculus_restore_7_1"
SCHEMA = (
    "CREATE SEQUENCE numbers",
    "CREATE TABLE customers (id INT PRIMARY KEY DEFAULT nextval(numbers), name TEXT)",
    "CREATE TABLE orders (id INT PRIMARY KEY, customer INT, note TEXT, "
    "CONSTRAINT buyer FOREIGN KEY (customer) REFERENCES customers (id) ON DELETE CASCADE)",
    "CREATE TABLE `odd ``name` (id INT PRIMARY KEY, v VARCHAR(40) DEFAULT '`millpond_shop`.`x`')",
    "INSERT INTO customers (name) VALUES ('Ada'), ('Ben')",
    "INSERT INTO orders VALUES (1, 1, 'jug'), (2, 2, 'bowl')",
    "INSERT INTO `odd ``name` (id) VALUES (1)",
    "CREATE VIEW open_orders AS SELECT o.id, c.name FROM orders o JOIN customers c "
    "ON c.id = o.customer",
    "CREATE FUNCTION price(n INT) RETURNS INT RETURN n * 2",
    "CREATE TRIGGER stamp BEFORE INSERT ON orders FOR EACH ROW SET NEW.note = upper(NEW.note)",
    "CREATE EVENT nightly ON SCHEDULE EVERY 1 DAY DISABLE DO DELETE FROM orders WHERE id < 0",
)
#: What happens to it afterwards: rows go and come, an intruder adds things.
LATER = (
    "DELETE FROM customers WHERE id = 1",
    "UPDATE orders SET note = 'stolen'",
    "DROP TRIGGER stamp",
    "CREATE TRIGGER spy BEFORE INSERT ON orders FOR EACH ROW SET NEW.note = 'spied'",
    "DROP VIEW open_orders",
    "CREATE VIEW open_orders AS SELECT 1 AS id",
    "CREATE PROCEDURE backdoor() SELECT 1",
    "DROP TABLE `odd ``name`",
    "CREATE TABLE visits (id INT PRIMARY KEY, customer INT, "
    "CONSTRAINT visitor FOREIGN KEY (customer) REFERENCES customers (id))",
    "INSERT INTO visits VALUES (1, 2)",
    f"ALTER DATABASE {NAME} CHARACTER SET latin1",
)


class Cut(BaseException):
    """The worker is killed."""


class Shop:
    """A database, its bundle, and the way to it."""

    def __init__(self, server: PrivateMariaDb, folder: Path) -> None:
        spec = mariadb_spec(socket=server.socket, user="fasciculus", password="ledger")
        self.server, self.folder = server, folder
        self.access = DatabaseAccess(LocalHost(), spec, "/", folder)
        self.clear()
        server.run(f"CREATE DATABASE {NAME} CHARACTER SET utf8mb4")
        server.run(*SCHEMA, database=NAME)
        self.members = self.dump()
        dump = ENGINE.dump(self.access, DatabaseRef("mariadb", NAME), DatabaseRules())
        assert list(dump)
        self.record = dump.record()
        self.told: list[str] = []

    def clear(self) -> None:
        self.server.run(f"DROP DATABASE IF EXISTS {NAME}")
        for name in self.scratch():
            self.server.run(f"DROP DATABASE `{name}`")

    def scratch(self) -> list[str]:
        with self.server.connect().cursor() as cursor:
            cursor.execute("SHOW DATABASES LIKE 'fasciculus%'")
            return [row[0] for row in cursor.fetchall()]

    def dump(self) -> dict[str, bytes]:
        dump = ENGINE.dump(self.access, DatabaseRef("mariadb", NAME), DatabaseRules())
        return {member.path.decode(): member.data for member in dump}

    def staged(self, **more: Any) -> Exchange:
        exchange = Exchange(engine="mariadb", name=NAME, prefix=PREFIX, trusted=True, **more)
        members: Any = (
            (Entry("databases", path.encode()), lambda data=data: data)
            for path, data in self.members.items()
        )
        made = ENGINE.exchanging.stage(
            self.access, exchange, self.record, members, self.told.append, self.folder / "kept"
        )
        assert list(made)
        return exchange

    def step(self, name: str, exchange: Exchange) -> None:
        getattr(ENGINE.exchanging, name)(
            self.access, exchange, self.told.append, self.folder / "kept"
        )


@pytest.fixture
def shop(mariadb: PrivateMariaDb, tmp_path: Path) -> Iterator[Shop]:
    found = Shop(mariadb, tmp_path)
    yield found
    found.clear()


def test_a_database_in_use_is_as_in_the_bundle_and_undone_as_before(shop: Shop) -> None:
    shop.server.run(*LATER, database=NAME)
    before = shop.dump()
    exchange = shop.staged(all_objects=True, extra=["visits"])
    assert shop.dump() == before, "nothing that is in use has changed yet"
    shop.step("run", exchange)
    assert shop.told == [] and shop.dump() == shop.members
    shop.server.run("INSERT INTO customers (name) VALUES ('Cy')", database=NAME)
    assert ENGINE.exchanging.changed(shop.access, exchange) == ["customers", "numbers"]
    shop.step("undo", exchange)
    assert shop.told == [] and shop.dump() == before
    assert ENGINE.exchanging.present(shop.access, "nowhere") is None
    ENGINE.exchanging.drop(shop.access, PREFIX)
    assert shop.scratch() == [] and shop.dump() == before


#: Changes of which any may come in any order, as far as the server takes them then.
CHANGES = (
    *LATER,
    "INSERT INTO customers (name) SELECT concat('c', seq) FROM seq_1_to_40",
    "DELETE FROM orders WHERE id = 2",
    "INSERT INTO orders VALUES (7, 2, NULL)",
    "ALTER TABLE orders ADD COLUMN paid BIT DEFAULT b'1'",
    "ALTER TABLE orders DROP FOREIGN KEY buyer",
    "DROP TABLE orders",
    "RENAME TABLE `odd ``name` TO plain",
    "CREATE TABLE orders (id INT PRIMARY KEY, v POINT) ENGINE=MyISAM",
    "DROP SEQUENCE numbers",
    "SELECT nextval(numbers)",
    "DROP FUNCTION price",
    "CREATE VIEW copies AS SELECT * FROM open_orders",
    "CREATE TABLE archive AS SELECT * FROM customers",
    "DROP TABLE customers",
)


@pytest.mark.parametrize("seed", range(6))
def test_whatever_has_changed_it_is_as_in_the_bundle_and_undone_as_before(
    shop: Shop, seed: int
) -> None:
    chance = random.Random(seed)
    with shop.server.connect(NAME) as link, link.cursor() as cursor:
        for statement in chance.sample(CHANGES, chance.randrange(1, 9)):
            with suppress(pymysql.err.MySQLError):
                cursor.execute(statement)
        cursor.execute("SHOW FULL TABLES WHERE table_type = 'BASE TABLE'")
        present = {row[0] for row in cursor.fetchall()}
    # A view that does not work any more is no view that an undo could bring back.
    with suppress(pymysql.err.MySQLError), shop.server.connect(NAME) as link:
        for view in ("open_orders", "copies"):
            with link.cursor() as cursor:
                try:
                    cursor.execute(f"SELECT * FROM {view}")
                except pymysql.err.MySQLError:
                    cursor.execute(f"DROP VIEW IF EXISTS {view}")
    before = shop.dump()
    extra = sorted(present - set(shop.record.tables))
    exchange = shop.staged(all_objects=True, extra=extra)
    assert shop.dump() == before, "nothing that is in use has changed yet"
    shop.step("run", exchange)
    assert shop.told == [] and shop.dump() == shop.members
    assert ENGINE.exchanging.changed(shop.access, exchange) == []
    shop.step("undo", exchange)
    assert shop.told == [] and shop.dump() == before


def test_a_default_of_a_sequence_that_is_lost_stops_nothing(shop: Shop) -> None:
    shop.server.run("DROP SEQUENCE numbers", database=NAME)
    before = shop.dump()
    exchange = shop.staged()
    shop.step("run", exchange)
    assert shop.told == [] and shop.dump() == shop.members
    shop.step("undo", exchange)
    assert shop.told == [] and shop.dump() == before


def test_what_the_bundle_has_none_of_stays_and_refers_to_what_came_back(shop: Shop) -> None:
    shop.server.run(*LATER, database=NAME)
    shop.step("run", shop.staged())
    found = shop.dump()
    assert (
        b"`visitor` FOREIGN KEY (`customer`) REFERENCES `customers`"
        in found["mariadb/millpond_shop/00000-schema.sql"]
    )
    text = b"".join(found.values())
    # Programs are written as hexadecimal literals.
    assert all(name.hex().encode() in text for name in (b"backdoor", b"spy", b"stamp"))
    assert b"Ada" in text
    # Rows of what was set aside do not hold those in use back.
    shop.server.run("DELETE FROM visits", "DELETE FROM customers", database=NAME)


def test_one_table_comes_back_with_its_keys_and_triggers(shop: Shop) -> None:
    shop.server.run(*LATER, database=NAME)
    before = shop.dump()
    exchange = shop.staged(tables=["orders"])
    assert [*exchange.loaded] == ["orders"]
    shop.step("run", exchange)
    found = shop.dump()
    assert shop.told == [] and b"visits" in b"".join(found.values())
    assert b"jug" in b"".join(found.values()) and b"Ada" not in b"".join(found.values())
    assert b"`buyer` FOREIGN KEY (`customer`) REFERENCES `customers`" in b"".join(found.values())
    shop.step("undo", exchange)
    assert shop.dump() == before


def test_a_structure_never_takes_the_place_of_rows_and_a_lost_database_comes_back(
    shop: Shop,
) -> None:
    del shop.record.tables["customers"]
    shop.members = {k: v for k, v in shop.members.items() if "customers-" not in k}
    before = shop.dump()
    exchange = shop.staged()
    assert "customers" not in exchange.loaded and "orders" in exchange.loaded
    shop.step("run", exchange)
    assert shop.dump() == before
    ENGINE.exchanging.drop(shop.access, PREFIX)
    shop.server.run(f"DROP DATABASE {NAME}")
    (shop.folder / "kept").rename(shop.folder / "former")
    exchange = shop.staged()
    assert not exchange.existed
    shop.step("run", exchange)
    assert shop.told == [] and {*shop.dump()} == {*before} - {
        key for key in before if "customers-" in key
    }
    shop.step("undo", exchange)
    with pytest.raises(Exception, match="no database"):
        shop.dump()


def test_rows_that_were_lost_on_the_way_are_told_before_anything_changes(shop: Shop) -> None:
    shop.record.tables["orders"] += 1
    shop.staged()
    assert shop.told == ["table orders has 2 of 3 rows after loading"]


@contextmanager
def cut_after(statements: int, monkeypatch: pytest.MonkeyPatch) -> Iterator[list[int]]:
    """Kill the worker before one of its statements, which are counted."""
    left = [statements]

    def counted(original: Any) -> Any:
        def method(self: Any, *values: Any) -> Any:
            left[0] -= 1
            if left[0] < 0:
                raise Cut
            return original(self, *values)

        return method

    with monkeypatch.context() as patch:
        for name in ("rows", "execute"):
            patch.setattr(MariaDbConnection, name, counted(getattr(MariaDbConnection, name)))
        yield left


@pytest.mark.parametrize("step", ["run", "undo"])
def test_cut_before_any_statement_it_is_finished_by_doing_it_again(
    shop: Shop, step: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    shop.server.run(*LATER, database=NAME)
    before = shop.dump()
    wanted = shop.members if step == "run" else before
    statements = 0
    exchange = shop.staged(all_objects=True, extra=["visits"])
    if step == "undo":
        shop.step("run", exchange)
    while True:
        with cut_after(statements, monkeypatch) as left:
            try:
                shop.step(step, exchange)
            except Cut:
                pass
        finished = left[0] >= 0
        shop.step(step, exchange)
        assert shop.told == [] and shop.dump() == wanted, statements
        if finished:
            break
        statements += 37
        # Back to where it began, for the next cut.
        shop.step("undo", exchange)
        ENGINE.exchanging.drop(shop.access, PREFIX)
        (shop.folder / "kept").rename(shop.folder / f"kept-{statements}")
        assert shop.dump() == before
        exchange = shop.staged(all_objects=True, extra=["visits"])
        if step == "undo":
            shop.step("run", exchange)
    assert statements > 30
