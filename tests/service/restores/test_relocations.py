"""Restores to another place: a copy of a site next to it, and into another account."""

from __future__ import annotations

import io
import os
import socket
import sqlite3
import subprocess
import threading
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import httpx
import pymysql
import pytest
from ports import free_port
from running import folder_stores, run, until
from trees import picture

from fasciculus.hosts.local import LocalHost
from fasciculus.models import AccountInput, Database, DrillPage, HostInput, JobInput, Site
from fasciculus.records.runs import restores
from fasciculus.service.drills import drill_copy, drill_settings, next_drill, timed_copy
from fasciculus.service.tasks.orders.restore import clear_order, restore_order
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.restore import drill, drill_page
from fasciculus.worker.restore.task import RestoreTask

pytestmark = pytest.mark.xdist_group("mariadb")

#: A page that reads its configuration, its rows, and a serialised value among them.
PAGE = """<?php
require __DIR__ . '/config.php';
$db = new mysqli(null, DB_USER, DB_PASSWORD, DB_NAME, 0, DB_SOCKET);
$options = unserialize($db->query('SELECT value FROM options')->fetch_row()[0]);
echo BASE . ' | ' . ($options === false ? 'broken' : $options['home']) . ' | ' . DB_NAME;
"""


def config(home: Path, socket: str) -> str:
    values = {
        "BASE": f"{home}/sites/www/",
        "DB_NAME": "millpond_shop",
        "DB_USER": "millpond_shop",
        "DB_PASSWORD": "clay",
        "DB_SOCKET": socket,
    }
    return "<?php\n" + "".join(f"define('{k}', '{v}');\n" for k, v in values.items())


def serialised(text: str) -> str:
    return f'a:2:{{s:4:"home";s:{len(text)}:"{text}";s:4:"size";i:7;}}'


def databases(mariadb: Any) -> set[str]:
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SHOW DATABASES")
        return {row[0] for row in cursor.fetchall()}


def users(mariadb: Any) -> set[str]:
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SELECT user FROM mysql.user")
        return {row[0] for row in cursor.fetchall()}


def value(mariadb: Any, query: str) -> Any:
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute(query)
        return cursor.fetchone()[0]


def as_user(mariadb: Any, password: str, database: str | None = None) -> None:
    """Sign in as the user of the copy."""
    pymysql.connect(
        unix_socket=mariadb.socket, user="millpond_shop_try", password=password, database=database
    ).close()


def clear(mariadb: Any) -> None:
    for name in databases(mariadb):
        if name.startswith(("millpond_", "ferryline_", "fasciculus")):
            mariadb.run(f"DROP DATABASE `{name}`")
    for name in users(mariadb):
        if name.startswith(("millpond_", "ferryline_")):
            mariadb.run(f"DROP USER '{name}'@'localhost'")


@pytest.fixture
def homes(running: Any, mariadb: Any, tmp_path: Path) -> Iterator[Path]:
    """The homes of millpond, with a site that has a database, and of ferryline, which is empty;
    both on one host. There is a bundle of millpond.
    """
    clear(mariadb)
    site = tmp_path / "millpond/sites/www"
    (site / "data").mkdir(parents=True)
    (tmp_path / "ferryline/sites").mkdir(parents=True)
    (site / "index.php").write_text(PAGE)
    (site / "config.php").write_text(config(tmp_path / "millpond", mariadb.socket))
    (site / "notes.txt").write_text("see https://millpond.example/ and no more\n")
    (site / "latest").symlink_to(site / "data")
    with closing(sqlite3.connect(site / "data/guests.sqlite")) as db:
        db.execute("CREATE TABLE guest (link)")
        db.execute("INSERT INTO guest VALUES ('https://millpond.example/jugs')")
        db.commit()
    mariadb.run(
        "CREATE DATABASE millpond_shop",
        "USE millpond_shop",
        "CREATE TABLE options (id INT PRIMARY KEY, value TEXT, changed INT DEFAULT 0)",
        f"INSERT INTO options VALUES (1, '{serialised('https://millpond.example/')}', 0)",
        "CREATE TRIGGER seen BEFORE UPDATE ON options FOR EACH ROW SET NEW.changed = 1",
        "CREATE USER 'millpond_shop'@'localhost' IDENTIFIED BY 'clay'",
        "GRANT ALL ON millpond_shop.* TO 'millpond_shop'@'localhost'",
    )
    host = HostInput(
        name="reed-1",
        servers=[{"kind": "mariadb", "socket": mariadb.socket, "user": "fasciculus"}],
        secrets={"mariadb_password": "ledger"},
    )
    millpond = AccountInput(
        name="millpond",
        host="reed-1",
        home=str(tmp_path / "millpond"),
        sites=[Site(name="millpond.example", root=str(site))],
        databases=[
            Database(engine="mariadb", name="millpond_shop"),
            Database(engine="sqlite", name="guests", path="sites/www/data/guests.sqlite"),
        ],
    )
    ferryline = AccountInput(name="ferryline", host="reed-1", home=str(tmp_path / "ferryline"))
    with running.client() as client:
        client.hosts_add(host)
        client.accounts_add(millpond)
        client.accounts_add(ferryline)
        for store in folder_stores(tmp_path, "attic"):
            client.stores_add(store)
        client.jobs_add(JobInput(name="nightly", stores=["attic"], timetable="by hand"))
        assert run(client, "nightly").outcome == "done"
    yield tmp_path
    clear(mariadb)


def page(folder: Path) -> str:
    """Return what PHP's own web server shows of a site."""
    port = free_port()
    with (
        open(os.devnull, "w") as void,
        subprocess.Popen(
            ["php", "-S", f"127.0.0.1:{port}", "-t", str(folder)], stdout=void, stderr=void
        ) as server,
    ):
        try:
            return until(lambda: _text(f"http://127.0.0.1:{port}/index.php"))
        finally:
            server.terminate()


def is_open(place: str) -> bool:
    host, _, port = place.rpartition(":")
    with closing(socket.socket()) as found:
        return found.connect_ex((host, int(port))) == 0


def _text(address: str) -> str:
    try:
        return httpx.get(address, timeout=10, trust_env=False).text
    except httpx.TransportError:
        return ""


def test_a_copy_beside_the_original_works_by_itself_and_is_removed_again(
    running: Any, mariadb: Any, homes: Path
) -> None:
    before, rows = picture(homes / "millpond"), "SELECT count(*) FROM millpond_shop.options"
    done = running.cli("restore", "millpond", "--beside", "try.millpond.example", "--yes")
    assert done.returncode == 0, done
    folder = homes / "millpond/sites/www-try"
    assert f"{homes}/millpond/sites/www-try" in done.stdout
    assert "millpond_shop_try" in done.stdout and "restores remove" in done.stdout
    shown = f"{folder}/ | https://try.millpond.example/ | millpond_shop_try"
    assert page(folder) == shown
    # Its user has the same password, and rights on nothing of the original.
    assert "define('DB_USER', 'millpond_shop_try')" in (folder / "config.php").read_text()
    with pytest.raises(pymysql.err.OperationalError, match="denied"):
        as_user(mariadb, "clay", "millpond_shop")
    # No trigger ran, texts in other files stayed, links lead to the copy's own folders.
    assert value(mariadb, "SELECT changed FROM millpond_shop_try.options") == 0
    assert "https://millpond.example/" in (folder / "notes.txt").read_text()
    assert os.readlink(folder / "latest") == str(folder / "data")
    with closing(sqlite3.connect(folder / "data/guests.sqlite")) as db:
        assert db.execute("SELECT link FROM guest").fetchone() == (
            "https://try.millpond.example/jugs",
        )
    # The original is as it was.
    assert value(mariadb, rows) == 1
    number = done.stdout.partition("restores remove ")[2].split(".")[0].split()[0]

    again = running.cli("restore", "millpond", "--beside", "try.millpond.example", "--yes")
    assert again.returncode == 1 and "exists already" in again.stdout + again.stderr

    (folder / "index.php").write_text("changed while trying")
    mariadb.run("DELETE FROM millpond_shop_try.options")
    gone = running.cli("restores", "remove", number, "--yes")
    assert gone.returncode == 0, gone
    assert picture(homes / "millpond") == before and value(mariadb, rows) == 1
    left = {name for name in databases(mariadb) if name.startswith(("millpond", "fasciculus"))}
    assert left == {"millpond_shop"}
    assert "millpond_shop_try" not in users(mariadb)
    assert not list((homes / "millpond").glob(".*"))


ROUTER = """<?php
$folder = $_SERVER['HTTP_HOST'] === 'try.millpond.example' ? '%s/millpond/sites/www-try' : '';
if (!is_file("$folder/index.php")) { http_response_code(404); exit; }
require "$folder/index.php";
"""


@pytest.fixture
def web(homes: Path) -> Iterator[str]:
    """A web server with PHP that knows the copy's address only; where it is."""
    (homes / "router.php").write_text(ROUTER % homes)
    place = f"127.0.0.1:{free_port()}"
    with (
        open(os.devnull, "w") as void,
        subprocess.Popen(
            ["php", "-d", "opcache.enable=0", "-S", place, str(homes / "router.php")],
            stdout=void,
            stderr=void,
        ) as server,
    ):
        until(lambda: is_open(place))
        yield place
        server.terminate()


def test_a_drill_requests_the_page_of_a_copy_and_removes_it(
    running: Any, mariadb: Any, homes: Path, web: str
) -> None:
    before = picture(homes / "millpond")
    words = ("drills", "start", "millpond", "--page", "try.millpond.example", "--web-address", web)
    done = running.cli(*words)
    assert done.returncode == 0 and "page answered 200" in done.stdout, done
    assert picture(homes / "millpond") == before
    left = {name for name in databases(mariadb) if name.startswith(("millpond", "fasciculus"))}
    assert left == {"millpond_shop"} and "millpond_shop_try" not in users(mariadb)
    assert not list(homes.glob(".fasciculus*/*"))
    # A page that does not work fails the drill, and leaves nothing either.
    (homes / "router.php").write_text(
        f"<?php http_response_code(is_dir('{homes}/millpond/sites/www-try') ? 500 : 404);"
    )
    failed = running.cli(*words)
    assert failed.returncode == 1 and "page of try.millpond.example" in failed.stderr, failed
    assert picture(homes / "millpond") == before
    # Something answers although there is no copy: it would prove nothing.
    (homes / "router.php").write_text("<?php echo 'welcome';")
    refused = running.cli(*words)
    assert refused.returncode == 1 and "page of try.millpond.example" in refused.stderr
    assert picture(homes / "millpond") == before


def test_the_timetable_of_drills_requests_pages_too(
    running: Any, mariadb: Any, homes: Path, web: str
) -> None:
    words = ("drills", "settings", "--page", "{account}.drills.example", "--web-address", web)
    said = running.cli(*words)
    assert said.returncode == 0 and "{account}.drills.example" in said.stdout, said
    bad = running.cli("drills", "settings", "--page", "not a name")
    assert bad.returncode == 2 and "--page" in bad.stderr, bad
    db = running.parts.records.reader
    bundle = next_drill(db, ["millpond"])
    copy = timed_copy(db, bundle, drill_settings(db).page)
    assert copy.relocation.address == "millpond.drills.example"
    running.cli("drills", "settings", "--page", "none")
    assert timed_copy(db, bundle, drill_settings(db).page) is None


def test_a_killed_drill_leaves_no_copy(
    running: Any, mariadb: Any, homes: Path, web: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    before, db = picture(homes / "millpond"), running.parts.records.reader
    bundle = next_drill(db, ["millpond"])
    copy = drill_copy(db, bundle, DrillPage(address="try.millpond.example", web_address=web))
    with running.parts.records.write() as writer:
        number = restores.add_drill(writer, bundle, "attic", "tests", copy, web)
    sources = running.parts.tasks._restores._sources()  # as the runner does
    orders = [make(sources, restores.restore(db, number)) for make in (restore_order, clear_order)]
    with monkeypatch.context() as patch:
        # It is killed before it removes anything but the scratch databases that it has compared.
        patch.setattr(drill_page, "remove_copy", lambda *what: None)
        clears = iter([drill.clear_drill])
        patch.setattr(drill, "clear_drill", lambda *w: next(clears, lambda *w: None)(*w))
        assert drill_in_process(orders[0]) == "done"
    assert (homes / "millpond/sites/www-try/index.php").exists()
    assert "millpond_shop_try" in databases(mariadb)
    assert drill_in_process(orders[1]) == "done"
    assert picture(homes / "millpond") == before
    assert "millpond_shop_try" not in databases(mariadb) | users(mariadb)


def drill_in_process(order: Any) -> str:
    emitter = Emitter(io.BytesIO())
    return RestoreTask(order, LocalHost(), emitter, threading.Event()).run().outcome


def test_a_copy_takes_nothing_that_exists(running: Any, mariadb: Any, homes: Path) -> None:
    words = ("restore", "millpond", "--beside", "try.millpond.example", "--yes")
    before = picture(homes / "millpond")
    mariadb.run("CREATE DATABASE millpond_shop_try", "CREATE TABLE millpond_shop_try.mine (id INT)")
    said = running.cli(*words)
    assert said.returncode == 1 and "millpond_shop_try" in said.stdout + said.stderr
    assert value(mariadb, "SELECT count(*) FROM millpond_shop_try.mine") == 0
    mariadb.run(
        "DROP DATABASE millpond_shop_try",
        "CREATE USER 'millpond_shop_try'@'localhost' IDENTIFIED BY 'other'",
    )
    said = running.cli(*words)
    assert said.returncode == 1 and "database user “millpond_shop_try”" in said.stdout + said.stderr
    as_user(mariadb, "other")
    assert picture(homes / "millpond") == before
    assert {n for n in databases(mariadb) if n.startswith(("millpond_", "fasc"))} == {
        "millpond_shop"
    }


@pytest.mark.parametrize("host", ["reed-1", "reed-2"])
def test_into_another_account(
    running: Any, mariadb: Any, homes: Path, host: str, request: pytest.FixtureRequest
) -> None:
    """On the same host, or on another one that is reached over SSH."""
    if host == "reed-2":
        move_ferryline(running, mariadb, request.getfixturevalue("openssh"))
    words = ("restore", "millpond", "--into", "ferryline")
    planned = running.cli(*words, "--plan")
    assert planned.returncode == 0, planned
    assert "millpond_shop" in planned.stdout and "ferryline_shop" in planned.stdout
    assert not list((homes / "ferryline/sites").iterdir())
    done = running.cli(
        *words,
        "--exchange",
        "millpond.example=ferryline.example",
        "--yes",
        "--exchange-in",
        "config*",
    )
    assert done.returncode == 0, done
    folder = homes / "ferryline/sites/www"
    assert page(folder) == f"{folder}/ | https://ferryline.example/ | ferryline_shop"
    number = done.stdout.partition("restores undo ")[2].split(".")[0].split()[0]
    assert running.cli("restores", "undo", number, "--yes").returncode == 0
    assert not list((homes / "ferryline/sites").iterdir())
    assert "ferryline_shop" not in databases(mariadb) | users(mariadb)
    assert value(mariadb, "SELECT count(*) FROM millpond_shop.options") == 1


def move_ferryline(running: Any, mariadb: Any, openssh: Any) -> None:
    spec = openssh.host()
    reached = {"kind": "ssh", "address": spec.address, "port": spec.port, "user": spec.user}
    new = HostInput(
        name="reed-2",
        connection={**reached, "host_key": spec.host_key},
        servers=[{"kind": "mariadb", "socket": mariadb.socket, "user": "fasciculus"}],
        secrets={"private_key": openssh.key, "mariadb_password": "ledger"},
    )
    with running.client() as client:
        client.hosts_add(new)
        fields = client.accounts_show("ferryline").model_dump(
            include=set(AccountInput.model_fields)
        )
        client.accounts_change("ferryline", AccountInput(**fields | {"host": "reed-2"}))


def test_a_database_of_someone_else_is_never_exchanged(
    running: Any, mariadb: Any, homes: Path
) -> None:
    mariadb.run("CREATE DATABASE ferryline_shop", "CREATE TABLE ferryline_shop.mine (id INT)")
    words = ("restore", "millpond", "--into", "ferryline", "--yes")
    said = running.cli(*words)
    assert said.returncode == 1 and "which the account does not have" in said.stdout + said.stderr
    said = running.cli(*words, "--database", "millpond_shop=millpond_shop")
    assert said.returncode == 1, said
    assert value(mariadb, "SELECT count(*) FROM millpond_shop.options") == 1
    assert not list((homes / "ferryline/sites").iterdir())


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (["--beside", "try.millpond.example", "--site", "other.example"], "--site"),
        (["--beside", "no address"], "--beside"),
        (["--into", "nobody"], "nobody"),
        (["--into", "millpond"], "address"),
        (["--into", "ferryline", "--to-folder", "../../etc"], "--to-folder"),
        (["--into", "ferryline", "--exchange", "x"], "--exchange"),
        (["--to-folder", "sites/x"], "--to-folder"),
    ],
)
def test_what_is_no_place_is_said_at_its_option(
    running: Any, homes: Path, words: list[str], said: str
) -> None:
    found = running.cli("restore", "millpond", *words, "--plan")
    assert found.returncode in (2, 5) and said in found.stderr, found
