"""A database, or one table, as one SQL file that a client loads."""

from __future__ import annotations

import hashlib
import subprocess
from pathlib import Path
from typing import Any

import pytest
from running import run

from fasciculus.client import ClientError

pytestmark = pytest.mark.xdist_group("mariadb")


def loaded(mariadb: Any, file: Path, name: str) -> Any:
    """Return the tables and rows of a database after a client has loaded a file into it."""
    mariadb.run(f"DROP DATABASE IF EXISTS `{name}`", f"CREATE DATABASE `{name}`")
    client = ["mariadb", "-S", mariadb.socket, "--binary-mode", name]
    with file.open("rb") as data:
        subprocess.run(client, stdin=data, check=True)
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute(f"SHOW TABLES FROM `{name}`")
        tables = sorted(row[0] for row in cursor.fetchall())
        cursor.execute(f"SELECT count(*) FROM `{name}`.orders")
        count = cursor.fetchone()[0]
    mariadb.run(f"DROP DATABASE `{name}`")
    return tables, count


@pytest.fixture
def shop(running: Any, mariadb: Any, millpond: Any) -> Any:
    """Bundle 5 with a second table, of an odd name, and a view."""
    mariadb.run(
        "CREATE TABLE shop.`it's ``odd` (id INT PRIMARY KEY, v VARCHAR(9) DEFAULT ';')",
        "INSERT INTO shop.`it's ``odd` VALUES (1, 'a;b')",
        "CREATE VIEW shop.recent AS SELECT * FROM shop.orders WHERE id > 490",
    )
    with running.client() as client:
        run(client, "nightly")
    return running


def test_a_database_and_a_table_are_one_file(shop: Any, mariadb: Any, tmp_path: Path) -> None:
    whole, one, odd = (tmp_path / f"{name}.sql" for name in ("whole", "one", "odd"))
    done = shop.cli("bundles", "download", "millpond", "--database", "shop", "--to", str(whole))
    assert done.returncode == 0, done
    assert hashlib.sha256(whole.read_bytes()).hexdigest() in done.stdout
    assert loaded(mariadb, whole, "copy") == (["it's `odd", "orders", "recent"], 500)
    with shop.client() as client:
        client.bundles_download(5, one, form="sql", database="shop", tables=["orders"])
        client.bundles_download(5, odd, form="sql", database="shop", tables=["it's `odd", "orders"])
        assert loaded(mariadb, one, "copy") == (["orders"], 500)
        assert loaded(mariadb, odd, "copy") == (["it's `odd", "orders"], 500)
        for order, field in (
            ({"database": "mail"}, "database"),
            ({}, "database"),
            ({"database": "shop", "tables": ["nothing"]}, "table"),
        ):
            with pytest.raises(ClientError) as caught:
                client.bundles_download(5, tmp_path / "none", form="sql", **order)
            assert caught.value.field == field and not (tmp_path / "none").exists()
    said = shop.cli("bundles", "download", "millpond", "--table", "orders")
    assert said.returncode == 2 and "--database" in said.stderr
