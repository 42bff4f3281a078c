"""Web space over FTP: its files, with times as precise as the server lists them."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest
from running import Service, folder_stores, run, set_up
from servers import PASSWORD, REAL, USER, certificate
from trees import picture

from fasciculus.core.bundle.tree.tree_walk import WalkRules
from fasciculus.core.errors import MissingError, UnreachableError
from fasciculus.core.file_filters import FileRules, FileSelector
from fasciculus.core.protocols.ftp_listing import parse_facts, parse_list
from fasciculus.demo.certificate import public_part
from fasciculus.demo.ftp import FtpStandIn
from fasciculus.hosts import host_spec, open_host
from fasciculus.hosts.base import HostSpec
from fasciculus.hosts.ftp import FtpHost
from fasciculus.models import HostInput

NOW = datetime(2026, 11, 26, 2, 0, tzinfo=UTC)


@pytest.fixture
def home(tmp_path: Path) -> Path:
    found = tmp_path / "space/home"
    (found / "sites/one/cache").mkdir(parents=True)
    for number in range(5):
        (found / f"sites/one/page-{number}.html").write_text(f"page {number}" * number)
    (found / "sites/one/cache/junk").write_bytes(os.urandom(1000))
    (found / "film.bin").write_bytes(os.urandom(3_000_000))
    (found / "ü & 100%.txt").write_text("odd")
    (found / "empty").mkdir()
    return found


def spec(port: int, **more: Any) -> HostSpec:
    settings = {"kind": "ftp", "address": "127.0.0.1", "port": port, "user": USER, **more}
    return host_spec("web", settings, {"password": PASSWORD})


@pytest.fixture(params=["mlsd", "list", "tls"])
def host(request: pytest.FixtureRequest, tmp_path: Path, home: Path) -> Iterator[Any]:
    pem = certificate(tmp_path) if request.param == "tls" else None
    server = FtpStandIn(
        tmp_path / "space", USER, PASSWORD, certificate=pem, mlsd=request.param != "list"
    )
    more = {"certificate": public_part(pem)} if pem else {"security": "none"}
    found = open_host(spec(server.port, **more), tmp_path / "spool")
    yield found
    found.close()
    server.close()


def test_the_entries_of_a_tree_and_their_bytes(host: FtpHost, home: Path) -> None:
    warnings, rows = [], {}
    for found in host.tree("/home", WalkRules(), warnings.append):
        data = b""
        if found.entry.type == "file":
            with closing(found.open()) as file:
                data = file.read()
        rows[os.fsdecode(found.entry.path)] = (found.entry.type, found.entry.size, data)
    wanted = {"": ("dir", 0, b"")}
    for path in home.rglob("*"):
        data = path.read_bytes() if path.is_file() else b""
        wanted[str(path.relative_to(home))] = (
            "file" if data or path.is_file() else "dir",
            len(data),
            data,
        )
    assert rows == wanted and not warnings
    assert list(rows) == sorted(rows, key=lambda p: os.fsencode(p).split(b"/")), "in scan order"


def test_rules_choose_as_anywhere_else(host: FtpHost) -> None:
    chooser = FileSelector(FileRules(includes=("*.html",), sets=("caches",)), 0)
    chosen = WalkRules(chooser=chooser)
    names = [os.fsdecode(f.entry.path) for f in host.tree("/home", chosen, print)]
    assert "sites/one/page-3.html" in names and "film.bin" not in names
    assert not any("cache" in name for name in names)


def test_what_it_can_and_what_it_cannot(host: FtpHost, home: Path) -> None:
    assert [step.name for step in host.steps()][-1] == "commands"
    assert host.type_of("/home") == "dir" and host.type_of("/home/film.bin") == "file"
    assert host.type_of("/none/at/all") == "" and b"film.bin" in host.names(b"/home")
    assert host.read_text("/home/sites/one/page-1.html") == "page 1"
    host.write("/home/new/note.txt", b"hello")
    assert (home / "new/note.txt").read_bytes() == b"hello"
    assert host.describe(b"/home/new/note.txt", "files", b"note", print).size == 5
    before = host.state_of(b"/home/new/note.txt")
    host.write("/home/new/note.txt", b"hello again")
    assert host.state_of(b"/home/new/note.txt") != before
    host.remove("/home/new/note.txt")
    host.remove("/home/new/note.txt")
    assert not (home / "new/note.txt").exists()
    assert host.dial("", "db.example", 3306) is None
    for refused in (lambda: host.run("id", 5), lambda: host.dial("/run/x", "", 0)):
        with pytest.raises(UnreachableError):
            refused()
    with pytest.raises(MissingError):
        list(host.tree("/none", WalkRules(), print))
    with pytest.raises(FileNotFoundError):
        host.open(b"/home/none")


def test_a_real_server_with_tls(tmp_path: Path) -> None:
    with REAL["vsftpd-tls"](tmp_path) as place:
        settings = place.spec.settings
        found = open_host(
            host_spec(
                "web",
                {
                    "kind": "ftp",
                    "address": "127.0.0.1",
                    "port": settings.port,
                    "user": "anonymous",
                    "certificate": settings.certificate,
                    "root": "/srv/www/millpond",
                },
                {"password": "x"},
            ),
            tmp_path / "spool",
        )
        with closing(found):
            found.write("/srv/www/millpond/up/a/page.html", b"hello")
            (row,) = [
                f
                for f in found.tree("/srv/www/millpond/up", WalkRules(), print)
                if f.entry.type == "file"
            ]
            assert row.entry.path == b"a/page.html" and row.entry.mode == 0o600
            with closing(row.open()) as file:
                assert file.read() == b"hello"


def test_an_account_is_protected_and_restored_as_on_any_host(
    running: Service, tmp_path: Path, home: Path
) -> None:
    server = FtpStandIn(tmp_path / "space", USER, PASSWORD)
    client = running.client()
    (attic,) = folder_stores(tmp_path, "attic")
    set_up(client, [], [attic], mode="incremental")
    settings = {"kind": "ftp", "address": "127.0.0.1", "port": server.port, "user": USER}
    client.hosts_add(
        HostInput(
            name="web",
            connection={**settings, "security": "none", "root": "/srv/millpond"},
            secrets={"password": PASSWORD},
            discovery={"homes": ["/srv/millpond/{account}"]},
        )
    )
    assert client.hosts_accept("web").count == 1
    assert client.accounts_show("home").home == "/srv/millpond/home"
    assert client.hosts_try("web").ok
    assert run(client, "nightly").outcome == "done"
    (home / "sites/one/page-2.html").write_text("another night")
    ended = run(client, "nightly")
    assert ended.outcome == "done", ended.tasks
    newest = client.bundles_list(limit=1).items[0]
    assert newest.new_bytes < 1_000_000 < newest.bytes, "the night after is incremental"
    back = tmp_path / "back"
    assert running.cli("restore", str(newest.id), "--to", str(back)).returncode == 0
    found, wanted = picture(back / "files"), picture(home)
    assert found.keys() == wanted.keys()
    assert (back / "files/film.bin").read_bytes() == (home / "film.bin").read_bytes()
    server.close()


FACTS = "type=file;size=17;modify=20261124021500;UNIX.mode=0644; page one.html"


def test_lines_of_listings() -> None:
    found = parse_facts(FACTS)
    assert (found.name, found.kind, found.size, found.mode) == ("page one.html", "file", 17, 0o644)
    assert found.mtime == datetime(2026, 11, 24, 2, 15, tzinfo=UTC) and found.grain == 1
    assert parse_facts("type=cdir;modify=20261124021500; .") is None
    link = parse_facts("type=OS.unix=slink:/etc/passwd;size=1; link")
    assert (link.kind, link.target) == ("link", "/etc/passwd")
    assert parse_facts("type=file;size=-5;modify=never; x").size == 0
    unix = parse_list("-rw-r-sr-x   1 web  www     4096 Nov 24 02:15 two  spaces.txt", NOW)
    assert (unix.name, unix.size, unix.grain) == ("two  spaces.txt", 4096, 60)
    assert unix.mode == 0o2655 and unix.mtime == datetime(2026, 11, 24, 2, 15, tzinfo=UTC)
    assert parse_list("-rw-r--r-- 1 web www 1 Dec 31 23:00 x", NOW).mtime.year == 2025
    assert parse_list("drwxr-xr-x 2 web www 1 Mar  3  2024 d", NOW).grain == 86_400
    assert parse_list("lrwxrwxrwx 1 web www 1 Nov 24 02:15 a -> b", NOW).target == "b"
    assert parse_list("11-24-26  02:15PM       <DIR>          data", NOW).kind == "folder"
    assert parse_list("11-24-26  12:15AM               17 a b.txt", NOW).mtime.hour == 0
    for line in ("total 12", "", "nonsense", "-rw-r--r-- 1 a b 1 Nov 99 02:15 .."):
        assert parse_list(line, NOW) is None
