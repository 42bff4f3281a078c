"""Restores in place on web space over FTP: planned, carried out, cut off anywhere, undone."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run, set_up
from servers import REAL

from fasciculus.core.bundle.entry import Entry
from fasciculus.core.errors import ConnectionLostError
from fasciculus.demo.ftp import FtpStandIn
from fasciculus.ftp import FtpConnection
from fasciculus.hosts import host_spec, open_host
from fasciculus.hosts.base import HostSpec
from fasciculus.hosts.ftp_side import FtpSide
from fasciculus.models import AccountInput, HostInput

USER, PASSWORD = "millpond", "oar-and-rope"
SECRET = {"password": PASSWORD}


@pytest.fixture
def space(tmp_path: Path) -> Iterator[FtpStandIn]:
    """Web space with a home of some files."""
    home = tmp_path / "space/home"
    (home / "www/pictures").mkdir(parents=True)
    for name in ("index.html", "prices.html", "pictures/jug.png"):
        (home / "www" / name).write_text(f"{name} as it was\n" * 40)
    found = FtpStandIn(tmp_path / "space", USER, PASSWORD)
    yield found
    found.close()


def connection(space: FtpStandIn) -> dict[str, Any]:
    where = {"kind": "ftp", "address": "127.0.0.1", "port": space.port, "user": USER}
    return {**where, "security": "none", "root": "/srv/millpond"}


def files(home: Path) -> dict[str, bytes | None]:
    """The contents of a home by their paths, None for folders."""
    return {
        str(path.relative_to(home)): path.read_bytes() if path.is_file() else None
        for path in sorted(home.rglob("*"))
    }


def test_from_the_plan_to_dropping(running: Any, space: FtpStandIn, tmp_path: Path) -> None:
    home = tmp_path / "space/home"
    with running.client() as client:
        set_up(client, [], folder_stores(tmp_path, "attic"), mode="incremental")
        client.hosts_add(
            HostInput(name="web", connection=connection(space), secrets={"password": PASSWORD})
        )
        client.accounts_add(AccountInput(name="millpond", host="web", home="/srv/millpond/home"))
        assert run(client, "nightly").outcome == "done"
    saved = files(home)
    (home / "www/index.html").write_text("hacked")
    (home / "www/pictures/jug.png").unlink()
    (home / "www/shell.php").write_text("<?php")
    before = files(home)
    words = ("restore", "millpond", "--in-place", "--remove-extra")
    planned = running.cli(*words, "--plan")
    assert planned.returncode == 0, planned
    assert "the exchange is not one step" in planned.stdout and "shell.php" in planned.stdout
    assert files(home) == before
    done = running.cli(*words, "--yes")
    assert done.returncode == 0 and files(home) == saved, done
    denied = tmp_path / "space/.fasciculus-restores/.htaccess"
    assert denied.read_text() == "Require all denied\n"
    number = done.stdout.rpartition("undo ")[2].split()[0]
    (home / "www/index.html").write_text("changed since")
    said = running.cli("restores", "undo", number, "--yes")
    assert said.returncode == 1 and "www/index.html" in said.stderr
    assert running.cli("restores", "undo", number, "--yes", "--force").returncode == 0
    assert files(home) == before
    with running.client() as client:
        assert run(client, "nightly").outcome == "done"
        (newest, *_) = client.bundles_list().items
        assert "fasciculus-restores" not in str(client.bundles_files(newest.id).items)
    assert running.cli("restores", "drop", number, "--yes").returncode == 0
    assert not list((tmp_path / "space/.fasciculus-restores").glob("restore-*"))
    said = running.cli("restore", "millpond", "--in-place", "--whole-account", "--yes")
    assert said.returncode == 2 and "creates no users" in said.stderr


class Cut:
    """Loses the connection before one of the renames."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self._left = -1
        plain = FtpConnection.rename

        def rename(link: FtpConnection, path: str, to: str) -> None:
            self._left -= 1
            if self._left == -1:
                link.close()
                raise ConnectionLostError("The connection was lost.")
            plain(link, path, to)

        monkeypatch.setattr(FtpConnection, "rename", rename)

    def before(self, step: int) -> None:
        """Cut before this many more renames."""
        self._left = step

    def never(self) -> None:
        """Let everything pass."""
        self._left = -1


@pytest.fixture(params=["stand-in", "vsftpd"])
def server(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[tuple[Path, HostSpec]]:
    """The home on a server, and how to reach it. The root of vsftpd cannot be written."""
    if request.param == "vsftpd":
        (tmp_path / "real").mkdir()
        with REAL["vsftpd"](tmp_path / "real") as place:
            settings = place.spec.settings.model_dump(exclude={"folder"})
            yield place.root.parent / "home", host_spec("web", settings, place.spec.secrets)
    else:
        found = FtpStandIn(tmp_path / "space", USER, PASSWORD)
        yield tmp_path / "space/up/home", host_spec("web", connection(found), SECRET)
        found.close()


def test_cut_off_before_any_rename_it_is_finished_or_undone_completely(
    server: tuple[Path, HostSpec], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (home, spec), cut = server, Cut(monkeypatch)
    for name in ("index.html", "prices.html"):
        (home / "www").mkdir(parents=True, exist_ok=True)
        (home / "www" / name).write_text(f"{name} as it was\n")
    for path in (home, home / "www"):
        path.chmod(0o777)
    before = files(home)
    wanted = before | {"www/index.html": b"new", "www/about/us.html": b"us", "www/about": None}
    del wanted["www/prices.html"]
    rows = [
        {"op": "place", "path": "www/index.html"},
        {"op": "place", "path": "www/about"},
        {"op": "remove", "path": "www/prices.html"},
    ]
    journal = b"".join(json.dumps(row).encode() + b"\n" for row in rows)
    for step in range(20):
        cut.never()
        host = open_host(spec, tmp_path)
        side = host.side_folder(
            f"{spec.settings.model_dump()['root']}/up/home", "", f"restore-{step}"
        )
        side.make()
        side.add_to_journal(journal)
        tree = side.staging()
        tree.create_file(b"www/index.html", [b"new"], Entry("files", b"", "file", size=3))
        tree.create_file(b"www/about/us.html", [b"us"], Entry("files", b"", "file", size=2))
        cut.before(step)
        was_cut = _finished(side, side.switch, "switched")
        cut.never()
        assert files(home) == wanted and side.changed() == []
        cut.before(step)
        was_cut |= _finished(side, side.undo, "undone")
        cut.never()
        assert files(home) == before
        side.drop()
        host.close()
        if not was_cut:
            break
    assert step > 3 and not list(tmp_path.rglob(".fasciculus-restores/restore-*"))


def _finished(side: Any, work: Any, state: str) -> bool:
    """Do it, and finish it if it was cut off; return whether it was."""
    try:
        assert work() == []
    except ConnectionLostError:
        found, problems = side.recover()
        assert problems == []
        if found != state:
            assert work() == []
        return True
    return False


def test_what_comes_between_two_steps_is_kept_and_changes_are_named(
    space: FtpStandIn, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    home, cut = tmp_path / "space/home", Cut(monkeypatch)
    before = files(home)
    host = open_host(host_spec("web", connection(space), SECRET), tmp_path)
    side = host.side_folder("/srv/millpond/home", "", "restore-1")
    side.make()
    for path in ("www/index.html", "www/about"):
        side.add_to_journal(json.dumps({"op": "place", "path": path}).encode() + b"\n")
    tree = side.staging()
    tree.create_file(b"www/index.html", [b"new"], Entry("files", b"", "file", size=3))
    tree.create_file(b"www/about/us.html", [b"us"], Entry("files", b"", "file", size=2))
    # After the state and the old page; the owner puts another page there meanwhile.
    cut.before(2)
    with pytest.raises(ConnectionLostError):
        side.switch()
    cut.never()
    assert not (home / "www/index.html").exists()
    (home / "www/index.html").write_text("hasty")
    state, problems = side.recover()
    assert state == "switched" and (home / "www/index.html").read_text() == "new"
    assert ["something was put there meanwhile" in why for _, why in problems] == [True]
    late = tmp_path / "space/.fasciculus-restores/restore-1/late/www/index.html"
    assert late.read_text() == "hasty"
    assert side.changed() == []
    (home / "www/about/more.html").write_text("more")
    assert side.changed() == ["www/about"]
    assert side.undo() == [] and files(home) == before
    host.close()


def test_what_was_never_placed_is_taken_back(
    space: FtpStandIn, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    home, cut = tmp_path / "space/home", Cut(monkeypatch)
    before = files(home)
    host = open_host(host_spec("web", connection(space), SECRET), tmp_path)
    side = host.side_folder("/srv/millpond/home", "", "restore-1")
    side.make()
    side.add_to_journal(b'{"op": "place", "path": "www/index.html"}\n')
    new = Entry("files", b"", "file", size=3)
    side.staging().create_file(b"www/index.html", [b"new"], new)
    cut.before(2)
    with pytest.raises(ConnectionLostError):
        side.switch()
    cut.never()
    host.connect()
    assert side.undo() == [] and files(home) == before
    host.close()


def test_a_link_that_the_owner_of_the_space_makes_is_not_followed(
    space: FtpStandIn, tmp_path: Path
) -> None:
    home, other = tmp_path / "space/home", tmp_path / "space/other"
    other.mkdir()
    (other / "index.html").write_text("of someone else")
    host = open_host(host_spec("web", connection(space), {"password": PASSWORD}), tmp_path)
    side = host.side_folder("/srv/millpond/home", "", "restore-1")
    assert isinstance(side, FtpSide)
    side.make()
    paths = ("www/index.html", "../other/index.html", "/other/index.html", "www//x")
    side.add_to_journal(
        b"".join(json.dumps({"op": "place", "path": p}).encode() + b"\n" for p in paths)
        + b"no json\n"
    )
    tree = side.staging()
    tree.create_file(b"www/index.html", [b"new"], Entry("files", b"", "file", size=3))
    os.rename(home / "www", home / "elsewhere")
    (home / "www").symlink_to(other)
    assert [path for path, _ in side.switch()][-1] == "www/index.html"
    assert (other / "index.html").read_text() == "of someone else"
    assert os.listdir(other) == ["index.html"]
    # Nor when the side folder is removed.
    (tmp_path / "space/.fasciculus-restores/restore-1/old/more").symlink_to(other)
    side.drop()
    assert os.listdir(other) == ["index.html"]
    assert not (tmp_path / "space/.fasciculus-restores/restore-1").exists()
    host.close()
