"""An account with everything, and the bundles of two nights."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run

from fasciculus.models import AccountInput, Database, HostInput, JobInput, MailFiles, Site


def drop_scratch(mariadb: Any) -> None:
    """Remove what a restore in place has set aside on the server, which tests share."""
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SHOW DATABASES LIKE 'fasciculus%'")
        for (name,) in cursor.fetchall():
            cursor.execute(f"DROP DATABASE `{name}`")


@pytest.fixture
def millpond(running: Any, mariadb: Any, tmp_path: Path) -> Iterator[Any]:
    """An account with files, a database and mail, and the bundles of two nights; its home.

    Bundle 4 is of the day before yesterday, bundle 5 of now.
    """
    home, mail = tmp_path / "millpond", tmp_path / "mail"
    (home / "sites").mkdir(parents=True)
    mail.mkdir()
    for name in ("index.php", "price-list.html"):
        (home / "sites" / name).write_text(f"{name} as it was\n")
    (mail / "virtual").write_text("info@millpond.example a@millpond.example\nx@other.example y\n")
    drop_scratch(mariadb)
    mariadb.run(
        "DROP DATABASE IF EXISTS shop",
        "CREATE DATABASE shop",
        "USE shop",
        "CREATE TABLE orders (id INT PRIMARY KEY)",
        "INSERT INTO orders SELECT seq FROM seq_1_to_500",
    )
    host = HostInput(
        name="reed-1",
        mail=MailFiles(alias_map=str(mail / "virtual")),
        servers=[{"kind": "mariadb", "socket": mariadb.socket, "user": "fasciculus"}],
        secrets={"mariadb_password": "ledger"},
    )
    account = AccountInput(
        name="millpond",
        host="reed-1",
        home=str(home),
        sites=[Site(name="millpond.example", root=str(home / "sites"))],
        databases=[Database(engine="mariadb", name="shop")],
        mail_domains=["millpond.example"],
    )
    with running.client() as client:
        client.hosts_add(host)
        client.accounts_add(account)
        for store in folder_stores(tmp_path, "attic"):
            client.stores_add(store)
        client.jobs_add(JobInput(name="nightly", stores=["attic"], timetable="by hand"))
        assert run(client, "nightly").outcome == "done"
        with running.parts.records.write() as db:
            db.execute("PRAGMA defer_foreign_keys = ON")
            earlier = (datetime.now(UTC) - timedelta(days=2)).isoformat(timespec="seconds")
            db.execute("UPDATE bundle SET id=4, moment=?", (earlier,))
            db.execute("UPDATE copy SET bundle_id=4")
    yield home
    for name in ("shop", "shop_restored"):
        mariadb.run(f"DROP DATABASE IF EXISTS {name}")
    drop_scratch(mariadb)
