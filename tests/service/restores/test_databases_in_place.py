"""Databases of a server in place: with the files, table by table, undone, and only one's own."""

from __future__ import annotations

from typing import Any

import pytest
from trees import picture

from fasciculus.models import AccountInput

pytestmark = pytest.mark.xdist_group("mariadb")


def count(mariadb: Any, table: str = "shop.orders") -> Any:
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute(f"SELECT count(*) FROM {table}")
        return cursor.fetchone()[0]


def scratch(mariadb: Any) -> Any:
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SHOW DATABASES LIKE 'fasciculus%'")
        return [row[0] for row in cursor.fetchall()]


def test_files_and_databases_come_back_together_and_are_undone_together(
    running: Any, mariadb: Any, millpond: Any
) -> None:
    saved = picture(millpond)
    (millpond / "sites/index.php").write_text("hacked")
    mariadb.run("DELETE FROM shop.orders WHERE id > 3", "CREATE TABLE shop.extra (id INT)")
    before = picture(millpond)
    planned = running.cli("restore", "millpond", "--in-place", "--plan", "--remove-extra")
    assert "500 rows in the bundle, 3 now" in planned.stdout and "shop.extra" in planned.stdout
    assert count(mariadb) == 3 and scratch(mariadb) == []
    done = running.cli("restore", "millpond", "--in-place", "--remove-extra", "--yes")
    assert done.returncode == 0, done
    assert picture(millpond) == saved and count(mariadb) == 500
    number = done.stdout.rpartition("undo ")[2].split()[0]
    # Discovery does not find the databases that are set aside.
    with running.client() as client:
        assert not [row for row in client.hosts_unmatched("reed-1").databases if "restore" in row]

    mariadb.run("INSERT INTO shop.orders VALUES (900)")
    said = running.cli("restores", "undo", number, "--yes")
    assert said.returncode == 1 and "shop.orders" in said.stdout + said.stderr
    assert count(mariadb) == 501
    assert running.cli("restores", "undo", number, "--yes", "--force").returncode == 0
    assert count(mariadb) == 3 and count(mariadb, "shop.extra") == 0
    assert picture(millpond) == before
    assert running.cli("restores", "drop", number, "--yes").returncode == 0
    assert scratch(mariadb) == [] and count(mariadb) == 3


def test_one_database_without_the_files(running: Any, mariadb: Any, millpond: Any) -> None:
    (millpond / "sites/index.php").write_text("newer")
    mariadb.run("DELETE FROM shop.orders")
    done = running.cli("restore", "millpond", "--in-place", "--database", "shop", "--yes")
    assert done.returncode == 0, done
    assert count(mariadb) == 500
    assert (millpond / "sites/index.php").read_text() == "newer"


def test_tables_that_exist_stay_if_conflicts_are_skipped(
    running: Any, mariadb: Any, millpond: Any
) -> None:
    mariadb.run("DELETE FROM shop.orders WHERE id > 3")
    words = ("restore", "millpond", "--in-place", "--conflicts", "skip", "--yes")
    assert running.cli(*words).returncode == 0
    assert count(mariadb) == 3


def test_a_bundle_does_not_say_whose_a_database_is(
    running: Any, mariadb: Any, millpond: Any
) -> None:
    with running.client() as client:
        found = client.accounts_show("millpond")
        new = AccountInput.model_validate(found.model_dump(include=set(AccountInput.model_fields)))
        new.databases = []
        client.accounts_change("millpond", new)
    mariadb.run("DELETE FROM shop.orders")
    said = running.cli("restore", "millpond", "--in-place", "--table", "shop.orders", "--yes")
    assert said.returncode == 2 and "millpond has no database “shop”" in said.stderr
    done = running.cli("restore", "millpond", "--in-place", "--yes")
    assert count(mariadb) == 0 and scratch(mariadb) == [], done
    said = running.cli("restore", "millpond", "--in-place", "--database", "shop=other", "--yes")
    assert said.returncode == 2 and "under its own name" in said.stderr
