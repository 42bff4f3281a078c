"""Whole runs through a real service: restores, keep rules and errors."""

from __future__ import annotations

import json
import os
import shutil
import socket
import sqlite3
import subprocess
import tarfile
import zipfile
from contextlib import closing
from pathlib import Path
from typing import Any
from uuid import uuid4

import pytest
from running import Service, folder_stores, run, set_up, sftp_store, small_account, until
from trees import awkward_tree, picture

from fasciculus.client import ClientError, NotFoundError, RefusedError
from fasciculus.client.client import Client
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import (
    AccountInput,
    Bundle,
    Database,
    HostInput,
    JobInput,
    MailFiles,
    RestoreStart,
    Site,
    StoreInput,
)
from fasciculus.records import inventory
from fasciculus.worker import pool


def rows_of(path: Path) -> list[tuple]:
    with closing(sqlite3.connect(path)) as db:
        return db.execute("SELECT * FROM page ORDER BY id").fetchall()


def newest(client: Client, subject: str) -> Bundle:
    return next(iter(client.every(client.bundles_list, subject=subject)))


def restored(client: Client, order: RestoreStart) -> Any:
    number = client.restores_start(order).id
    return until(lambda: (r := client.restores_show(number)).state == "ended" and r)


def full_account(tmp_path: Path, mariadb: PrivateMariaDb) -> tuple[HostInput, AccountInput]:
    """An account with an awkward tree, an SQLite and a MariaDB database, and mail."""
    home = awkward_tree(tmp_path)
    (home / "sites").mkdir()
    with closing(sqlite3.connect(home / "sites/site.sqlite")) as db:
        db.execute("PRAGMA journal_mode=WAL")
        db.execute("CREATE TABLE page (id INTEGER PRIMARY KEY, body TEXT)")
        db.executemany(
            "INSERT INTO page (body) VALUES (?)", [(f"page {n}" * 50,) for n in range(500)]
        )
        db.commit()
    (home / "sites/site.sqlite").chmod(0o640)
    mariadb.run(
        "CREATE DATABASE IF NOT EXISTS shop",
        "USE shop",
        "CREATE TABLE t (id INT PRIMARY KEY, v TEXT)",
        "INSERT INTO t SELECT seq, MD5(seq) FROM seq_1_to_5000",
    )
    mail = tmp_path / "mail"
    for box in ("hello", "orders"):
        user = mail / "millpond.example" / box
        (user / "sieve").mkdir(parents=True)
        (user / "sieve/main.sieve").write_text("keep;\n")
        (user / ".dovecot.sieve").symlink_to("sieve/main.sieve")
        (user / "Maildir/cur").mkdir(parents=True)
        (user / "Maildir/cur/1:2,S").write_text("Subject: hello\n\n")
    (mail / "virtual").write_text(
        "info@millpond.example hello@millpond.example\ninfo@other.example x@other.example\n"
    )
    (mail / "users").write_text(
        "".join(
            f"{b}@{d}:{{CRYPT}}$6$x:1:1::/h::\n"
            for d in ("millpond.example", "other.example")
            for b in ("hello", "orders")
        )
    )
    host = HostInput(
        name="reed-1",
        mail=MailFiles(
            alias_map=str(mail / "virtual"),
            passwd_file=str(mail / "users"),
            home=f"{mail}/{{domain}}/{{user}}",
        ),
        servers=[{"kind": "mariadb", "socket": mariadb.socket, "user": "fasciculus"}],
        secrets={"mariadb_password": "ledger"},
    )
    account = AccountInput(
        name="millpond",
        host="reed-1",
        home=str(home),
        sites=[Site(name="millpond.example", root=f"{home}/sites")],
        databases=[
            Database(engine="sqlite", name="site", path="sites/site.sqlite"),
            Database(engine="mariadb", name="shop"),
        ],
        mail_domains=["millpond.example"],
    )
    return host, account


def shop_rows(mariadb: Any) -> Any:
    with mariadb.connect().cursor() as cursor:
        cursor.execute("SHOW TABLES FROM shop")
        tables = [row[0] for row in cursor.fetchall()]
        counts = {}
        for table in tables:
            cursor.execute(f"SELECT count(*) FROM shop.`{table}`")
            counts[table] = cursor.fetchone()[0]
    return counts


@pytest.mark.xdist_group("mariadb")
def test_one_table_comes_back_without_reading_the_others(
    running: Any, mariadb: Any, tmp_path: Path
) -> None:
    host, account = full_account(tmp_path, mariadb)
    mariadb.run(
        "USE shop",
        "CREATE TABLE customer (id INT PRIMARY KEY, name TEXT)",
        "INSERT INTO customer SELECT seq, 'x' FROM seq_1_to_50",
        "CREATE TABLE orders (id INT PRIMARY KEY, customer INT, note TEXT, CONSTRAINT of_customer "
        "FOREIGN KEY (customer) REFERENCES customer (id))",
        "INSERT INTO orders SELECT seq, 1 + seq % 50, MD5(seq) FROM seq_1_to_2000",
        "CREATE TRIGGER stamp BEFORE INSERT ON orders FOR EACH ROW SET NEW.note = 'new'",
        "CREATE TRIGGER other BEFORE INSERT ON t FOR EACH ROW SET NEW.v = 'new'",
        "CREATE VIEW recent AS SELECT id FROM orders",
    )
    with running.client() as client:
        client.hosts_add(host)
        client.accounts_add(account)
        (tmp_path / "attic").mkdir()
        attic = {"kind": "folder", "folder": str(tmp_path / "attic")}
        client.stores_add(StoreInput(name="attic", settings=attic))
        client.jobs_add(JobInput(name="nightly", stores=["attic"], timetable="by hand"))
        assert run(client, "nightly").outcome == "done"
        mariadb.run("DROP TABLE shop.orders")
        done = running.cli("restore", "millpond", "--table", "shop.orders")
        assert done.returncode == 0 and "RENAME TABLE `shop_restored`.`orders`" in done.stdout, done
        mariadb.run("DROP TRIGGER shop_restored.stamp")
        mariadb.run("RENAME TABLE shop_restored.orders TO shop.orders")
        connection = mariadb.connect()
        with connection.cursor() as cursor:
            cursor.execute("SHOW TABLES FROM shop_restored")
            assert cursor.fetchall() == ()
            cursor.execute("SELECT count(*), min(LENGTH(note)) FROM shop.orders")
            assert cursor.fetchone() == (2000, 32)
            cursor.execute("DROP DATABASE shop_restored")
            cursor.execute("DROP DATABASE shop")
        connection.close()
        row = client.restores_list(limit=1).items[0]
        assert row.bytes < 400_000 and row.tables == {"shop": ["orders"]}
        for words, said in (
            (("--table", "shop.nothing"), "holds no table “nothing” of shop"),
            (("--table", "reed.orders"), "holds no database “reed”"),
            (("--table", "orders"), "--table"),
        ):
            refused = running.cli("restore", "millpond", *words)
            assert refused.returncode == 2 and said in refused.stderr, refused


@pytest.mark.xdist_group("mariadb")
def test_everything_comes_back_as_it_was(
    running: Service, stand_in: SftpStandIn, mariadb: PrivateMariaDb, tmp_path: Path
) -> None:
    host, account = full_account(tmp_path, mariadb)
    home = Path(account.home)
    with running.client() as client:
        client.hosts_add(host)
        assert client.hosts_try("reed-1").ok
        client.accounts_add(account)
        client.stores_add(sftp_store(stand_in))
        client.jobs_add(
            JobInput(
                name="nightly",
                stores=["boathouse"],
                timetable="by hand",
                piece_size=2 * 1024 * 1024,
            )
        )
        wanted = picture(home)
        found = run(client, "nightly")
        assert found.outcome == "done", found.tasks
        bundle = newest(client, "millpond")
        by_name = {row.name: row for row in client.bundles_tables(bundle.id).items}
        shop, site = by_name["shop"], by_name["site"]
        assert (shop.engine_title, shop.folder) == ("MariaDB or MySQL", "mariadb/shop")
        assert {row.name: row.rows for row in shop.tables} == shop_rows(mariadb)
        assert 0 < sum(row.bytes for row in shop.tables) < shop.bytes
        assert site.engine_title == "SQLite" and site.bytes > 0 and site.tables
        told = running.cli("bundles", "tables", str(bundle.id), "shop")
        assert "TABLE" in told.stdout and ".sql" not in told.stdout, told
        back = tmp_path / "back"
        done = restored(
            client,
            RestoreStart(bundle=bundle.id, target=str(back), databases={"shop": "shop_back"}),
        )
        assert done.outcome == "done", done.error

        came = picture(back / "files")
        database = b"sites/site.sqlite"
        beside = {database + b"-wal", database + b"-shm"} & set(wanted)
        assert set(came) == set(wanted) - beside
        for name in came:
            if name == database:
                # A copy by the backup interface: same mode, owner, time and rows, not the same
                # bytes.
                assert came[name][:5] == wanted[name][:5]
            elif name != b"sites" or not beside:
                assert came[name] == wanted[name], name
        assert rows_of(back / "files/sites/site.sqlite") == rows_of(home / "sites/site.sqlite")
        connection = mariadb.connect()
        with connection.cursor() as cursor:
            cursor.execute("CHECKSUM TABLE shop.t, shop_back.t")
            sums = [row[1] for row in cursor.fetchall()]
            cursor.execute("DROP DATABASE shop_back")
            cursor.execute("DROP DATABASE shop")
        connection.close()
        assert sums[0] == sums[1]

        domain = back / "mail/millpond.example"
        assert (domain / "aliases").read_text() == "info@millpond.example hello@millpond.example\n"
        assert (domain / "passwd").read_text().count("@millpond.example") == 2
        assert (
            "other.example"
            not in (domain / "passwd").read_text() + (domain / "mail.json").read_text()
        )
        assert os.readlink(domain / "home/hello/.dovecot.sieve") == "sieve/main.sieve"
        assert not (domain / "home/hello/Maildir").exists(), "messages only on request"
        assert json.loads((domain / "mail.json").read_text())["mailboxes"][0]["sieve"] == [
            "main.sieve"
        ]

        # On the store itself, with ordinary tools.
        folder = stand_in.root / "bundles/accounts/millpond"
        subprocess.run(
            ["sha256sum", "--quiet", "-c", "SHA256SUMS"],
            check=True,
            cwd=folder / "bundles" / bundle.name,
        )
        for piece in (folder / "pieces").iterdir():
            subprocess.run(["tar", "--zstd", "-tf", str(piece)], check=True, capture_output=True)

        # One file, a folder, and a part of nothing.
        part = restored(
            client,
            RestoreStart(
                bundle=bundle.id,
                target=str(tmp_path / "part"),
                contents=["files"],
                paths=["dir", "zz-hard"],
            ),
        )
        assert part.outcome == "done"
        assert sorted(p.name for p in (tmp_path / "part").iterdir()) == ["dir", "zz-hard"]
        assert (tmp_path / "part/zz-hard").read_bytes() == b"plain" * 3
        nothing = restored(
            client, RestoreStart(bundle=bundle.id, target=str(tmp_path / "none"), paths=["no/such"])
        )
        assert nothing.outcome == "failed" and "Nothing in the bundle matches" in nothing.error

        # As one download; cut and resumed it is the same.
        whole = tmp_path / "whole.tar.gz"
        size, report = client.bundles_download(bundle.id, whole)
        assert size == whole.stat().st_size and report.omissions == 0
        with tarfile.open(whole) as tar:
            names = [m.name for m in tar]
        assert (
            len(names) == bundle.entries
            and "files/plain" in names
            and "databases/sqlite/sites/site.sqlite" in names
        )
        # Raw calls with the client's token, for answers in parts.
        http = client._http
        path = f"/api/v1/bundles/{bundle.id}/download"
        rest = http.get(path, headers={"Range": "bytes=1000-"})
        assert rest.status_code == 206 and rest.headers["Content-Range"].startswith("bytes 1000-")
        first = whole.read_bytes()[:1000]
        assert first + _raw(http, path, 1000) == whole.read_bytes()

        # Browsing and searching.
        top = client.bundles_files(bundle.id, "files").items
        assert {"dir", "plain", "zz-hard"} <= {e.name for e in top}
        odd = next(e for e in top if e.path.startswith("base64:"))
        assert (
            restored(
                client,
                RestoreStart(
                    bundle=bundle.id,
                    target=str(tmp_path / "odd"),
                    contents=["files"],
                    paths=[odd.path],
                ),
            ).outcome
            == "done"
        )
        assert os.listdir(os.fsencode(tmp_path / "odd")) == [b"not\xff\xfeutf8"]
        assert [e.path for e in client.bundles_search(bundle.id, "site SQLITE").items] == [
            "sqlite/sites/site.sqlite"
        ]
        with pytest.raises(RefusedError, match=r"No restore of this bundle .* was interrupted"):
            client.restores_start(
                RestoreStart(bundle=bundle.id, target=str(tmp_path / "part"), resume=True)
            )
        with pytest.raises(RefusedError, match="not empty"):
            client.restores_start(RestoreStart(bundle=bundle.id, target=str(back)))
        with pytest.raises(RefusedError, match="Fasciculus itself uses"):
            client.restores_start(
                RestoreStart(bundle=bundle.id, target=str(running.home / "spool/x"))
            )


def _raw(http: Any, path: str, start: int) -> bytes:
    with http.stream("GET", path, headers={"Range": f"bytes={start}-"}) as answer:
        return b"".join(answer.iter_raw())


def test_keep_seven_of_nine(running: Service, stand_in: SftpStandIn, tmp_path: Path) -> None:
    with running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], [sftp_store(stand_in)], keep=7)
        for number in range(9):
            Path(tmp_path / "millpond/page-0.html").write_text(f"night {number}")
            found = run(client, "nightly")
        assert found.tasks[0].copies[0].kept == 7 and found.tasks[0].copies[0].retired == 1
        recorded = [b.name for b in client.every(client.bundles_list)]
        folder = stand_in.root / "bundles/accounts/millpond"
        assert sorted(recorded) == sorted(os.listdir(folder / "bundles")) and len(recorded) == 7
        named = {
            p["name"]
            for name in recorded
            for p in json.loads((folder / "bundles" / name / "bundle.json").read_text())["pieces"]
        }
        assert set(os.listdir(folder / "pieces")) == named
        assert len(list((running.home / "listings/account/millpond").glob("*.zst"))) == 7
        assert client.stores_show("boathouse").copies == 7
        last = newest(client, "millpond")
        assert (
            restored(client, RestoreStart(bundle=last.id, target=str(tmp_path / "back"))).outcome
            == "done"
        )
        assert (tmp_path / "back/files/page-0.html").read_text() == "night 8"


def untouched(folder: Path) -> dict[str, bytes]:
    return {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


@pytest.mark.parametrize(
    "fault", ["password", "folder", "full", "home", "database", "mark", "unreachable"]
)
def test_each_trouble_is_one_clear_sentence_and_older_copies_stay(
    running: Service,
    stand_in: SftpStandIn,
    tmp_path: Path,
    fault: str,
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    """The older copies are byte for byte what they were, and the next run is good again."""
    if fault == "password":
        # A signed-in user need not know the new one.
        monkeypatch.setattr(pool, "_ORDERS_PER_WORKER", 1)
    accounts = [small_account(tmp_path, name) for name in ("ferryline", "millpond")]
    (tmp_path / "ferryline/data.bin").write_bytes(os.urandom(3_000_000))
    (tmp_path / "attic").mkdir()
    with running.client() as client:
        set_up(
            client,
            accounts,
            [
                sftp_store(stand_in),
                StoreInput(
                    name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")}
                ),
            ],
        )
        assert run(client, "nightly").outcome == "done"
        bundles = stand_in.root / "bundles"
        before = untouched(bundles)
        outcome, sentence = "partial", ""
        others = "partial"
        match fault:
            case "password":
                stand_in.password, sentence = (
                    "changed-there",
                    "does not accept the password of user “fasciculus”",
                )
            case "folder":
                bundles.rename(stand_in.root / "gone")
                sentence = "The folder /bundles does not exist on 127.0.0.1"
            case "full":
                stand_in.quota, sentence = (
                    sum(map(len, before.values())) + 200_000,
                    "free; the last bundle of ferryline took",
                )
                others = "done"
            case "home":
                (tmp_path / "ferryline").rename(tmp_path / "moved")
                outcome, sentence, others = "failed", "home folder", "done"
            case "database":
                account = client.accounts_show("ferryline")
                account.databases = [Database(engine="mariadb", name="times")]
                client.accounts_change("ferryline", account)
                client.hosts_change(
                    "reed-1",
                    HostInput(
                        name="reed-1",
                        servers=[{"kind": "mariadb", "socket": "/no/such.sock", "user": "x"}],
                    ),
                )
                client.jobs_change(
                    "nightly",
                    JobInput(
                        name="nightly",
                        stores=["boathouse", "attic"],
                        timetable="by hand",
                        contents=["files", "databases"],
                    ),
                )
                # Its files are kept all the same.
                sentence = "The database server at /no/such.sock does not answer"
                others = "done"
            case "mark":
                (bundles / "fasciculus-store.json").rename(bundles / "hidden")
                sentence = "holds no fasciculus-store.json"
            case "unreachable":
                stand_in.close()
                sentence = "Nothing answers at 127.0.0.1"
        found = run(client, "nightly")
        ferryline, millpond = found.tasks
        assert (ferryline.outcome, millpond.outcome) == (outcome, others), [
            t.error for t in found.tasks
        ]
        assert sentence in ferryline.error and ferryline.error.count(". ") <= 2, ferryline.error
        assert found.outcome == outcome and not any(t.warnings for t in found.tasks)
        shown = running.cli("runs", "show", str(found.id))
        assert sentence in shown.stdout
        if fault != "unreachable":  # where each attempt waits and tries again
            assert running.cli("start", "nightly", "--wait").returncode == 1
        match fault:
            case "folder":
                (stand_in.root / "gone").rename(bundles)
            case "mark":
                (bundles / "hidden").rename(bundles / "fasciculus-store.json")
            case "home":
                (tmp_path / "moved").rename(tmp_path / "ferryline")
        after = untouched(bundles)
        assert {name: after.get(name) for name in before} == before
        if fault in ("database", "unreachable"):
            return
        stand_in.quota, stand_in.password = None, "boat-and-rope"
        again = run(client, "nightly")
        assert again.outcome == "done", [t.error for t in again.tasks]
        for bundle in client.every(client.bundles_list, store="boathouse"):
            subprocess.run(
                ["sha256sum", "--quiet", "-c", "SHA256SUMS"],
                check=True,
                cwd=bundles / "accounts" / bundle.subject / "bundles" / bundle.name,
            )


def test_a_store_that_fills_half_way_keeps_nothing_half(
    running: Service, stand_in: SftpStandIn, tmp_path: Path
) -> None:
    account = small_account(tmp_path, "millpond")
    (tmp_path / "millpond/data.bin").write_bytes(os.urandom(6_000_000))
    with running.client() as client:
        set_up(client, [account], [sftp_store(stand_in)], piece_size=1024 * 1024)
        stand_in.quota = 3_000_000
        found = run(client, "nightly")
        assert found.outcome == "failed" and "is full" in found.tasks[0].error
        left = [p for p in (stand_in.root / "bundles/accounts").rglob("*") if p.is_file()]
        assert left == [] and list(client.every(client.bundles_list)) == []
        assert list((running.home / "spool").iterdir()) == []


def test_a_bundle_larger_than_the_spool(tmp_path: Path, stand_in: SftpStandIn) -> None:
    from running import service

    account = small_account(tmp_path, "millpond")
    for number in range(6):
        (tmp_path / f"millpond/data-{number}.bin").write_bytes(os.urandom(9_000_000))
    with (
        service(tmp_path / "home", FASCICULUS_SPOOL_LIMIT=str(25 * 1024 * 1024)) as running,
        running.client() as client,
    ):
        set_up(client, [account], [sftp_store(stand_in)])
        found = run(client, "nightly")
        assert found.outcome == "done"
        pieces = client.bundles_show(found.tasks[0].bundle_id).pieces
        assert len(pieces) > 6 and max(p.bytes for p in pieces) <= 25 * 1024 * 1024 / 3
        assert "since the spool has no room for more" in " ".join(
            line.text for line in client.every(client.runs_log, run_id=found.id)
        )


def test_the_bundle_never_contains_the_bundles(running: Service, tmp_path: Path) -> None:
    account = small_account(tmp_path, "millpond")
    store = tmp_path / "millpond/public/backups"
    store.mkdir(parents=True)
    with running.client() as client:
        set_up(
            client,
            [account],
            [StoreInput(name="attic", settings={"kind": "folder", "folder": str(store)})],
        )
        first, second = run(client, "nightly"), run(client, "nightly")
        assert first.outcome == second.outcome == "done"
        assert [t.entries for t in first.tasks] == [t.entries for t in second.tasks] == [5]


def test_what_failed_is_started_again_alone(running: Service, tmp_path: Path) -> None:
    accounts = [small_account(tmp_path, name) for name in ("millpond", "ferryline", "zither")]
    with running.client() as client:
        set_up(client, accounts, folder_stores(tmp_path, "attic"))
        for name in ("millpond", "ferryline"):
            (tmp_path / name).rename(tmp_path / f"{name}-away")
        first = run(client, "nightly")
        (tmp_path / "millpond-away").rename(tmp_path / "millpond")
        said = running.cli("start", "nightly", "--failed", "--wait")
        assert said.returncode == 1, said
        again = client.runs_show(client.runs_list(limit=1).items[0].id)
        assert [task.subject for task in again.tasks] == ["ferryline", "millpond"]
        (tmp_path / "ferryline-away").rename(tmp_path / "ferryline")
        last = client.start("nightly", failed_of=again.id).wait()
        assert [task.subject for task in last.tasks] == ["ferryline"] and last.outcome == "done"
        with pytest.raises(RefusedError, match=f"Nothing of run {last.id} failed") as caught:
            client.start("nightly", failed_of=last.id)
        assert caught.value.field == "failed_of"
        assert running.cli("start", "nightly", "--failed").returncode == 2
        both = running.cli("start", "nightly", "--wait", "--only", "millpond, ferryline")
        assert both.returncode == 0 and "2 bundles" in both.stdout and first.id


def test_a_job_by_host_tag_or_pattern_takes_in_what_is_added_and_renamed(
    running: Service, tmp_path: Path
) -> None:
    with running.client() as client:
        accounts = [small_account(tmp_path, name) for name in ("shop-tea", "choir", "ferry")]
        set_up(client, accounts, folder_stores(tmp_path, "attic"))
        host, job = accounts[0].host, client.jobs_show("nightly")

        def covered(choice: str, *names: Any) -> list[Any]:
            fields = job.model_dump(include=set(JobInput.model_fields))
            fields.update(choice=choice, names=list(names))
            client.jobs_change("nightly", JobInput(**fields))
            return [row.name for row in client.accounts_list().items if row.covered_by]

        assert covered("listed", "shop-*") == ["shop-tea"]
        assert covered("listed", f"host:{host}") == ["choir", "ferry", "shop-tea"]
        assert covered("listed", "tag:duty", "ferry") == ["ferry"]
        said = client.jobs_summary(client.jobs_show("nightly")).advice
        assert "“tag:duty” chooses nothing at present. Check its spelling." in said
        client.accounts_change("choir", accounts[1].model_copy(update={"tags": ["duty", "duty"]}))
        assert client.accounts_show("choir").tags == ["duty"]
        assert [row.name for row in client.accounts_list(tag="duty").items] == ["choir"]
        client.accounts_change(
            "choir", client.accounts_show("choir").model_copy(update={"name": "band"})
        )
        done = run(client, "nightly")
        assert sorted(task.subject for task in done.tasks) == ["band", "ferry"]
        rows = {row.account: row.state for row in client.coverage_list().items}
        assert rows["shop-tea"] != rows["band"]
        assert covered("all_but", "tag:duty") == ["ferry", "shop-tea"]

        assert covered("all_but", f"host:{host}") == []
        for refused in (
            lambda: client.hosts_remove(host),
            lambda: client.hosts_change(host, HostInput(name="elsewhere")),
        ):
            with pytest.raises(RefusedError, match="Job “nightly” names the host"):
                refused()
        with pytest.raises(RefusedError, match="There is no “host:reed-9”"):
            covered("listed", "host:reed-9")


def test_who_stops_following_a_run_is_told_that_it_goes_on(
    running: Service, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    with running.client() as client:
        accounts = [small_account(tmp_path, "millpond")]
        set_up(client, accounts, folder_stores(tmp_path, "attic"))

        def stopped(*_: Any) -> None:
            raise KeyboardInterrupt

        monkeypatch.setattr("fasciculus.client.client.Client.runs_events", stopped)
        said = running.cli("start", "nightly", "--wait")
        number = client.runs_list(limit=1).items[0].id
        assert said.returncode == 7 and f"Run {number} goes on" in said.stderr, said
        assert f"fasciculus runs cancel {number}" in said.stderr
        until(lambda: client.runs_show(number).outcome == "done")


def test_sockets_and_vanished_sites_are_said(running: Service, tmp_path: Path) -> None:
    account = small_account(tmp_path, "millpond")
    account.sites = [Site(name="old.millpond.example", root=f"{account.home}/old")]
    (tmp_path / "attic").mkdir()
    with socket.socket(socket.AF_UNIX) as listening, running.client() as client:
        os.chdir(account.home)
        listening.bind("app.sock")
        set_up(
            client,
            [account],
            [
                StoreInput(
                    name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")}
                )
            ],
        )
        found = run(client, "nightly")
    assert found.outcome == "warned"
    assert any("app.sock: a socket" in w for w in found.tasks[0].warnings)
    assert any("old.millpond.example: its document root" in w for w in found.tasks[0].warnings)


def test_a_site_alone_brings_its_own_database(running: Service, tmp_path: Path) -> None:
    account = small_account(tmp_path, "millpond")
    root = tmp_path / "millpond/shop"
    root.mkdir()
    with closing(sqlite3.connect(root / "db.sqlite")) as db:
        db.execute("CREATE TABLE page (id INTEGER PRIMARY KEY, body TEXT)")
        db.execute("INSERT INTO page VALUES (1, 'x')")
        db.commit()
    account.sites = [Site(name="shop.millpond.example", root=str(root))]
    account.databases = [
        Database(engine="sqlite", name="shop", path="shop/db.sqlite", site="shop.millpond.example")
    ]
    (tmp_path / "attic").mkdir()
    with running.client() as client:
        set_up(
            client,
            [account],
            [
                StoreInput(
                    name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")}
                )
            ],
            subjects="sites",
            contents=["files", "databases"],
        )
        assert run(client, "nightly").outcome == "done"
        bundle = newest(client, "shop.millpond.example")
        assert (
            restored(client, RestoreStart(bundle=bundle.id, target=str(tmp_path / "back"))).outcome
            == "done"
        )
        assert rows_of(tmp_path / "back/files/db.sqlite") == [(1, "x")]
        assert client.sites_list().items[0].covered_by == ["nightly"]


def altered(folder: Path) -> bytes:
    """Flip a bit of the one file in a folder; what it was."""
    (piece,) = folder.iterdir()
    whole = piece.read_bytes()
    data = bytearray(whole)
    data[len(data) // 2] ^= 1
    # A folder store may share the file with another one.
    piece.unlink()
    piece.write_bytes(data)
    return whole


def test_damage_that_anything_meets_is_recorded_and_repaired(
    running: Service, tmp_path: Path
) -> None:
    (tmp_path / "millpond").mkdir()
    (tmp_path / "millpond/data.bin").write_bytes(os.urandom(500_000))
    account = AccountInput(name="millpond", host="reed-1", home=str(tmp_path / "millpond"))
    stores = folder_stores(tmp_path, "attic", "cellar")
    with running.client() as client:
        set_up(client, [account], stores, contents=["files"])
        assert run(client, "nightly").outcome == "done"
        bundle = newest(client, "millpond")
        pieces = tmp_path / "attic/accounts/millpond/pieces"
        (piece,) = pieces.iterdir()
        listing = tmp_path / "attic/accounts/millpond/bundles" / bundle.name / "listing.jsonl.zst"

        def restore() -> None:
            target = str(tmp_path / f"back-{uuid4().hex}")
            order = RestoreStart(bundle=bundle.id, target=target, store="attic")
            assert restored(client, order).outcome == "failed"

        def download() -> None:
            target = tmp_path / "x.tar.gz"
            assert client.bundles_download(bundle.id, target, store="attic")[1].omissions

        def copy() -> None:
            (third,) = folder_stores(tmp_path, f"third-{uuid4().hex[:8]}")
            client.stores_add(third)
            (number,) = client.stores_transfer(third.name, "attic").ids
            until(lambda: client.maintenance_show(number).state == "ended")
            client.stores_remove(third.name)

        for act, by in ((restore, "restore"), (download, "a download"), (copy, "maintenance")):
            whole = altered(pieces)
            act()

            def is_repaired(by: str = by, whole: bytes = whole) -> Any:
                rows = client.maintenance_list(limit=500).items
                verified = [row for row in rows if row.kind == "verify" and by in row.started_by]
                return verified and verified[0].deep and piece.read_bytes() == whole

            until(is_repaired)
            until(lambda: not client.damage_list().items)
        listing.unlink()
        shutil.rmtree(running.home / "listings")
        with pytest.raises(ClientError):
            client.bundles_files(bundle.id, "files")
        until(listing.exists)


def test_a_damaged_store_never_gives_wrong_bytes(running: Service, tmp_path: Path) -> None:
    account = small_account(tmp_path, "millpond")
    (tmp_path / "millpond/data.bin").write_bytes(os.urandom(500_000))
    with running.client() as client:
        set_up(
            client,
            [account],
            folder_stores(tmp_path, "attic"),
        )
        assert run(client, "nightly").outcome == "done"
        bundle = newest(client, "millpond")
        altered(tmp_path / "attic/accounts/millpond/pieces")
        bad = restored(
            client, RestoreStart(bundle=bundle.id, target=str(tmp_path / "bad"), store="attic")
        )
        assert bad.outcome == "failed" and "damaged" in bad.error and "another copy" in bad.error
        assert not (tmp_path / "bad/files/data.bin").exists(), (
            "altered contents are not left in place"
        )
        _, report = client.bundles_download(bundle.id, tmp_path / "x.tar.gz", store="attic")
        assert report.omissions >= 1 and any("files/data.bin: " in line for line in report.named)
        with tarfile.open(tmp_path / "x.tar.gz") as archive:
            names = archive.getnames()
            assert names[-1] == "OMISSIONS.txt" and "files/data.bin" not in names
            assert b"data.bin" in archive.extractfile("OMISSIONS.txt").read()
        said = running.cli(
            *("bundles", "download", str(bundle.id), "--store", "attic"),
            *("--to", str(tmp_path / "y.zip"), "--as", "zip"),
        )
        assert said.returncode == 1 and "data.bin" in said.stdout and "OMISSIONS" in said.stderr
        with zipfile.ZipFile(tmp_path / "y.zip") as archive:
            assert archive.testzip() is None and "files/data.bin" not in archive.namelist()
        for path in ("no/such", "data.bin/below"):
            with pytest.raises(RefusedError, match=f"holds nothing at {path}") as caught:
                client.bundles_download(bundle.id, tmp_path / "z.tar.gz", paths=["data.bin", path])
            assert caught.value.field == "path" and not (tmp_path / "z.tar.gz").exists()
        shutil.rmtree(running.home / "listings")
        assert client.bundles_files(bundle.id, "files").items, "a lost listing is fetched again"


def test_starting_is_idempotent_and_never_twice_at_once(
    running: Service, stand_in: SftpStandIn, tmp_path: Path
) -> None:
    with running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], [sftp_store(stand_in)])
        first = client.jobs_start("nightly", key="once")
        assert client.jobs_start("nightly", key="once").id == first.id
        list(client.runs_events(first.id))
        assert client.jobs_start("nightly", key="once").id == first.id
        assert client.runs_list().total == 1
        with pytest.raises(NotFoundError, match="nightli") as caught:
            client.jobs_start("nightli")
        assert "nightly" in caught.value.hint


def test_a_store_that_holds_bundles_says_so_when_it_is_added(
    running: Service, tmp_path: Path
) -> None:
    """And whose they are, as far as the tag of their manifests tells."""
    with running.client() as client:
        (store,) = folder_stores(tmp_path, "attic")
        set_up(client, [small_account(tmp_path, "millpond")], [store])
        run(client, "nightly")
        client.jobs_remove("nightly")
        client.stores_remove("attic")

        def said() -> str:
            return next(
                (s.text for s in client.stores_try_draft(store).steps if s.name == "bundles"), ""
            )

        assert "1 subject (millpond)" in said() and "1 bundle made by this service." in said()
        (manifest,) = (tmp_path / "attic").glob("accounts/millpond/bundles/*/bundle.json")
        own = manifest.read_bytes()
        manifest.write_bytes(own.replace(b'"reed-1"', b'"reed-9"'))
        assert "made by this service and altered since" in said()
        manifest.write_bytes(own[: own.index(b',\n "authentication"')] + b"\n}\n")
        assert "nothing tells who made them" in said()
        added = running.cli(
            "stores", "add", "attic", "--kind", "folder", "--folder", str(tmp_path / "attic")
        )
        assert added.returncode == 0 and "It holds bundles already" in added.stdout, added.stderr


def test_an_account_that_is_gone_stops_neither_a_job_nor_its_editing(
    running: Service, tmp_path: Path
) -> None:
    with running.client() as client:
        accounts = [small_account(tmp_path, name) for name in ("millpond", "ferryline")]
        set_up(client, accounts, folder_stores(tmp_path, "attic"))
        old = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
        listed = {**old, "choice": "listed", "names": ["ferryline", "millpond"]}
        client.jobs_change("nightly", JobInput(**listed))
        with running.parts.records.write() as db:
            inventory.mark_gone(db, "ferryline", "2026-11-01T00:00:00+00:00")
        done = run(client, "nightly")
        assert done.outcome == "done" and [task.subject for task in done.tasks] == ["millpond"]
        log = [line.text for line in client.every(client.runs_log, run_id=done.id)]
        assert "account ferryline was deleted: skipped" in log
        shown = client.overview().attention
        assert any("names ferryline, which is gone" in row.text for row in shown)
        assert client.jobs_change("nightly", JobInput(**{**listed, "keep": 3})).keep == "3 newest"
        with pytest.raises(RefusedError, match="There is no “nobody”"):
            client.jobs_change("nightly", JobInput(**{**listed, "names": ["nobody"]}))
