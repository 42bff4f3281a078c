"""An account that was deleted from disk: one command, and its site answers with its rows."""

from __future__ import annotations

import os
import pwd
import shutil
import signal
import subprocess
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import httpx
import pytest
from mail_servers import MailServers
from ports import free_port
from running import folder_stores, run, until

from fasciculus.models import AccountInput, Database, HostInput, JobInput, Site

pytestmark = pytest.mark.xdist_group("mariadb")
#: A user that no machine has, and no other worker of the tests, with its number.
USER, NUMBER = f"fsc-{os.getpid()}", str(20_000 + os.getpid() % 30_000)
PAGE = "<p>Jugs and bowls</p>"


def delete_user() -> None:
    subprocess.run(["userdel", USER], capture_output=True)
    subprocess.run(["groupdel", USER], capture_output=True)


@pytest.fixture
def web(tmp_path: Path) -> Iterator[Any]:
    """A real nginx that reads the sites of a folder."""
    folder, port = tmp_path / "nginx", free_port()
    (folder / "sites").mkdir(parents=True)
    (folder / "nginx.conf").write_text(
        f"pid {folder}/pid; error_log {folder}/error.log; user root; events {{}}\n"
        f"http {{ access_log off; client_body_temp_path {folder}/t1; proxy_temp_path {folder}/t2;"
        f" fastcgi_temp_path {folder}/t3; uwsgi_temp_path {folder}/t4; scgi_temp_path {folder}/t5;"
        f" server {{ listen 127.0.0.1:{port} default_server; return 404; }}"
        f" include {folder}/sites/*.conf; }}\n"
    )
    program = shutil.which("nginx", path="/usr/sbin:/usr/bin")
    assert program, "nginx is missing"
    command = [program, "-c", str(folder / "nginx.conf")]
    subprocess.run(command, check=True, capture_output=True)
    until((folder / "pid").exists)
    yield folder, port, f"{program} -c {folder}/nginx.conf -s reload"
    with suppress(ProcessLookupError):
        os.kill(int((folder / "pid").read_text()), signal.SIGTERM)


@pytest.fixture
def mail(tmp_path: Path) -> Iterator[MailServers]:
    with MailServers(tmp_path / "mail").running() as found:
        yield found


@pytest.fixture
def account(running: Any, mariadb: Any, web: Any, mail: Any, tmp_path: Path) -> Iterator[Any]:
    folder, port, reload = web
    home = tmp_path / "homes" / USER
    delete_user()
    subprocess.run(
        ["useradd", "-M", "-u", NUMBER, "-d", str(home), "-s", "/bin/sh", "-c", "Potter", USER],
        check=True,
    )
    (home / "www").mkdir(parents=True)
    (home / "www/index.html").write_text(PAGE)
    subprocess.run(["chown", "-R", f"{USER}:{USER}", str(home)], check=True)
    (folder / f"sites/{USER}.conf").write_text(
        f"server {{ listen 127.0.0.1:{port}; server_name millpond.example; root {home}/www; }}\n"
    )
    subprocess.run(reload, shell=True, check=True)
    mail.virtual.write_text("x@other.example y\n")
    mail.add("hello", "clay", int(NUMBER))
    mail.send("info@millpond.example", "Before")
    until(lambda: mail.subjects("hello", "clay") == ["Before"])
    mariadb.run(
        "DROP DATABASE IF EXISTS potshop",
        "CREATE DATABASE potshop",
        "CREATE TABLE potshop.jugs (id INT PRIMARY KEY)",
        "INSERT INTO potshop.jugs VALUES (1), (2)",
        "CREATE USER IF NOT EXISTS 'potter'@'localhost' IDENTIFIED BY 'clay'",
        "GRANT SELECT ON potshop.* TO 'potter'@'localhost'",
    )
    host = HostInput(
        name="reed-1",
        mail=mail.files(),
        account_system=[f"{folder}/sites/{{account}}.conf"],
        system_refresh=[reload],
        servers=[{"kind": "mariadb", "socket": mariadb.socket, "user": "fasciculus"}],
        secrets={"mariadb_password": "ledger"},
    )
    new = AccountInput(
        name=USER,
        host="reed-1",
        home=str(home),
        sites=[Site(name="millpond.example", root=str(home / "www"))],
        databases=[Database(engine="mariadb", name="potshop")],
        mail_domains=["millpond.example"],
    )
    with running.client() as client:
        client.hosts_add(host)
        client.accounts_add(new)
        for store in folder_stores(tmp_path, "attic"):
            client.stores_add(store)
        client.jobs_add(
            JobInput(name="nightly", stores=["attic"], timetable="by hand", messages=True)
        )
        assert run(client, "nightly").outcome == "done"
    yield home, mail, folder, port
    delete_user()
    mariadb.run("DROP DATABASE IF EXISTS potshop", "DROP USER IF EXISTS 'potter'@'localhost'")


def asked(port: int) -> Any:
    return httpx.get(f"http://127.0.0.1:{port}/", headers={"Host": "millpond.example"})


def test_one_command_brings_all_of_it_back(running: Any, mariadb: Any, account: Any) -> None:
    home, mail, folder, port = account
    until(lambda: asked(port).text == PAGE)
    user = pwd.getpwnam(USER)
    shutil.rmtree(home)
    delete_user()
    (folder / f"sites/{USER}.conf").unlink()
    mail.virtual.write_text("x@other.example y\n")
    mail.users.write_text("")
    shutil.rmtree(mail.vmail / "millpond.example")
    mail.refresh()
    assert mail.subjects("hello", "clay") == []
    mariadb.run("DROP DATABASE potshop", "DROP USER 'potter'@'localhost'")
    subprocess.run(["nginx", "-c", folder / "nginx.conf", "-s", "reload"], check=True)
    until(lambda: asked(port).status_code == 404)

    words = ("restore", USER, "--in-place", "--whole-account")
    planned = running.cli(*words, "--plan")
    for line in (f"user {USER}", f"{USER}.conf", "potshop.jugs", "millpond.example"):
        assert line in planned.stdout, planned.stdout
    assert not home.exists()
    done = running.cli(*words, "--web-address", f"127.0.0.1:{port}", "--yes")
    assert done.returncode == 0, done
    again = pwd.getpwnam(USER)
    assert (again.pw_uid, again.pw_gid, again.pw_dir) == (user.pw_uid, user.pw_gid, str(home))
    assert (home / "www/index.html").stat().st_uid == user.pw_uid
    until(lambda: asked(port).text == PAGE)
    assert mail.virtual.read_text().startswith("x@other.example y\n")
    mail.send("info@millpond.example", "After")
    try:
        until(lambda: sorted(mail.subjects("hello", "clay")) == ["After", "Before"])
    except AssertionError:
        pytest.fail(f"{mail.subjects('hello', 'clay')}\n{mail.logs}")
    with mariadb.connect() as connection, connection.cursor() as cursor:
        cursor.execute("SELECT count(*) FROM potshop.jugs")
        assert cursor.fetchone() == (2,)
        cursor.execute("SHOW GRANTS FOR 'potter'@'localhost'")
        assert any("potshop" in row[0] for row in cursor.fetchall())
    number = done.stdout.rpartition("undo ")[2].split()[0]
    log = running.cli("restores", "log", number).stdout
    assert "site millpond.example answers 200" in log and f"user {USER} is created" in log
    undone = running.cli("restores", "undo", number, "--yes", "--force")
    assert undone.returncode == 0 and not (home / "www").exists(), undone
    assert mail.virtual.read_text() == "x@other.example y\n" and mail.users.read_text() == ""


def test_a_bundle_writes_no_setting_that_no_pattern_names(
    running: Any, mariadb: Any, account: Any
) -> None:
    home, _, folder, _ = account
    conf = folder / f"sites/{USER}.conf"
    conf.unlink()
    with running.client() as client:
        found = client.hosts_show("reed-1").model_dump()
        new = HostInput(**{key: found[key] for key in HostInput.model_fields if key in found})
        new.account_system = ["/etc/nginx/{account}.conf"]
        client.hosts_change("reed-1", new)
    done = running.cli("restore", USER, "--in-place", "--whole-account", "--yes")
    assert not conf.exists() and done.returncode in (0, 1)
    said = running.cli(
        *("restore", USER, "--in-place", "--whole-account", "--path", "www", "--yes"),
    )
    assert said.returncode == 2 and "Only a whole account" in said.stderr
    said = running.cli("restore", USER, "--to", str(home / "x"), "--whole-account")
    assert said.returncode == 2 and "in place" in said.stderr
