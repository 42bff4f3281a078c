"""A restore in place with databases that is interrupted: before, or after, and never between."""

from __future__ import annotations

import io
import os
import threading
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from nights import Nights, made
from running import mariadb_spec

from fasciculus.contracts.orders import DropOrder, RecoverOrder, RestoreOrder, UndoOrder
from fasciculus.core.errors import DamagedError, StoreFullError
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.switch import Switch
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.restore.in_place.databases import Exchanges
from fasciculus.worker.restore.in_place.side import SideTask
from fasciculus.worker.restore.in_place.task import InPlaceRestore
from fasciculus.worker.restore.task import RestoreTask

pytestmark = pytest.mark.xdist_group("mariadb")
SIDE = "restore-9-ab12"


class Cut(BaseException):
    """The worker is killed."""


class Shop:
    """A home and a database, one bundle of both, and what has changed since."""

    def __init__(self, nights: Nights, mariadb: Any) -> None:
        self.nights, self.mariadb = nights, mariadb
        mariadb.run(
            "DROP DATABASE IF EXISTS shop",
            "CREATE DATABASE shop",
            "CREATE TABLE shop.orders (id INT PRIMARY KEY)",
            "INSERT INTO shop.orders VALUES (1), (2)",
        )
        self.page = nights.tree / "index.php"
        self.kept = str(nights.root / "set-aside")
        self.page.write_text("good")
        spec = mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger")
        server = {"settings": spec.settings.model_dump_json(), "secrets": dict(spec.secrets)}
        self.host = {"servers": {"mariadb": server}}
        self.nights.night(
            contents=["files", "databases"],
            databases=[{"engine": "mariadb", "name": "shop"}],
            servers=self.host["servers"],
        )
        self.page.write_text("hacked")
        mariadb.run("DELETE FROM shop.orders")

    def order(self, kind: Any, **more: Any) -> Any:
        tree = str(self.nights.tree)
        own = {"kind": "account", "name": "millpond", "host": "", "root": tree, "home": tree}
        spool = str(self.nights.root / "spool9")
        return made(kind, {"subject": own, "host": self.host, "spool": spool, **more})

    def restore(self) -> Any:
        *_, name = sorted(self.nights.known)
        order = self.order(
            RestoreOrder,
            bundle=name,
            store={**self.nights.store_order("attic"), "recorded": []},
            target="",
            databases={"shop": "shop"},
            special_modes=True,
            in_place={
                "side": SIDE,
                "plan": str(self.nights.root / "plan.jsonl"),
                "kept": self.kept,
            },
        )
        emitter = Emitter(io.BytesIO())
        return RestoreTask(order, LocalHost(), emitter, threading.Event()).run()

    def later(self, kind: Any) -> Any:
        order = self.order(kind, side=SIDE, kept=self.kept)
        return SideTask(order, LocalHost(), Emitter(io.BytesIO())).run()

    @property
    def state(self) -> tuple[str, int]:
        with self.mariadb.connect() as connection, connection.cursor() as cursor:
            cursor.execute("SELECT count(*) FROM shop.orders")
            return self.page.read_text(), cursor.fetchone()[0]

    @property
    def scratch(self) -> list[str]:
        with self.mariadb.connect() as connection, connection.cursor() as cursor:
            cursor.execute("SHOW DATABASES LIKE 'fasciculus%'")
            return [row[0] for row in cursor.fetchall()]


@pytest.fixture
def shop(nights: Nights, mariadb: Any) -> Any:
    found = Shop(nights, mariadb)
    for name in found.scratch:
        mariadb.run(f"DROP DATABASE `{name}`")
    yield found
    for name in ("shop", *found.scratch):
        mariadb.run(f"DROP DATABASE IF EXISTS `{name}`")


BEFORE, AFTER = ("hacked", 0), ("good", 2)


def cut(patch: Any, owner: Any, name: str, calls: int = 0) -> None:
    """Kill the worker at a call of a method, or before it is done."""
    original, left = getattr(owner, name), [calls]

    def method(self: Any, *values: Any) -> Any:
        left[0] -= 1
        if left[0] < 0:
            raise Cut
        return original(self, *values)

    patch.setattr(owner, name, method)


@pytest.mark.parametrize(
    ("owner", "name", "outcome"),
    [
        (Switch, "run", BEFORE),
        (Exchanges, "run", AFTER),
    ],
)
def test_a_killed_worker_leaves_files_and_rows_of_one_time(
    shop: Shop, owner: Any, name: str, outcome: Any, monkeypatch: Any
) -> None:
    with monkeypatch.context() as patch, pytest.raises(Cut):
        cut(patch, owner, name)
        # What a killed worker does not do any more.
        patch.setattr(InPlaceRestore, "_clear", lambda self: None)
        shop.restore()
    assert shop.scratch
    shop.later(RecoverOrder)
    assert shop.state == outcome
    if outcome is BEFORE:
        assert shop.scratch == []
    else:
        assert shop.later(UndoOrder).outcome == "done" and shop.state == BEFORE
        shop.later(DropOrder)
        assert shop.scratch == []


def test_an_undo_that_is_cut_between_files_and_rows_is_finished(
    shop: Shop, monkeypatch: Any
) -> None:
    assert shop.restore().outcome == "done" and shop.state == AFTER
    with monkeypatch.context() as patch, pytest.raises(Cut):
        cut(patch, Exchanges, "undo")
        shop.later(UndoOrder)
    shop.later(RecoverOrder)
    assert shop.state == BEFORE


def test_rows_that_cannot_be_loaded_change_nothing(shop: Shop, monkeypatch: Any) -> None:
    def short(self: Any, access: Any, exchange: Any, *values: Any) -> Any:
        values[2]("table orders has 1 of 2 rows after loading")
        return iter(())

    from fasciculus.databases.mariadb.exchange import MariaDbExchange

    monkeypatch.setattr(MariaDbExchange, "stage", short)
    with pytest.raises(DamagedError, match="Nothing was changed"):
        shop.restore()
    assert shop.state == BEFORE and shop.scratch == []
    folder = Path(shop.nights.root) / ".fasciculus-restores"
    assert not folder.exists() or os.listdir(folder) == []


def test_a_server_without_room_is_told_before_anything_is_loaded(
    shop: Shop, monkeypatch: pytest.MonkeyPatch
) -> None:
    plain = LocalHost.run

    def run(host: LocalHost, command: str, *more: Any, **options: Any) -> Any:
        found = plain(host, command, *more, **options)
        return replace(found, output=b"Avail\n10\n") if command.startswith("df ") else found

    with monkeypatch.context() as patch:
        patch.setattr(LocalHost, "run", run)
        with pytest.raises(StoreFullError, match="the database server has 10 B free"):
            shop.restore()
    assert shop.state == BEFORE and shop.scratch == []
    assert shop.restore().outcome == "done" and shop.state == AFTER
