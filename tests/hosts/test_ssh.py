"""A host over real OpenSSH: the same results as on the machine itself."""

from __future__ import annotations

import ast
import contextlib
import io
import os
import sqlite3
import subprocess
import sys
import tarfile
import threading
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from running import mariadb_spec
from trees import awkward_tree

from fasciculus.core.bundle.root_path import partial_name
from fasciculus.core.bundle.tree.tree_walk import WalkRules
from fasciculus.core.errors import FasciculusError, MissingError, SettingError, UnreachableError
from fasciculus.core.file_filters import FileRules, FileSelector
from fasciculus.databases.mariadb.server import connect
from fasciculus.databases.sqlite import copy as sqlite_copy
from fasciculus.databases.sqlite.copy import copy_database
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts import text_files
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.remote_scripts import program_text
from fasciculus.hosts.ssh.host import SshHost
from fasciculus.ssh import SshSpec

RULES = FileRules(
    excludes=("*.txt", "/dir/long-folder-namelong-folder-namelong-folder-name/", "!dir.txt"),
    sets=("caches",),
    skip_tagged_caches=True,
    ignore_file=".leave-out",
)


@pytest.fixture
def remote(openssh: Any, tmp_path: Path) -> Iterator[SshHost]:
    found = SshHost(openssh.host(), tmp_path)
    yield found
    found.close()


@pytest.fixture
def tree(tmp_path: Path) -> Path:
    found = awkward_tree(tmp_path)
    for name in ("cache", "tagged", "ignoring/deep"):
        (found / name).mkdir(parents=True)
        for number in range(3):
            (found / name / f"file-{number}.html").write_text(f"{name} {number}")
    (found / "tagged/CACHEDIR.TAG").write_text("Signature: 8a477f597d28d172789f06886806bc55\n")
    (found / "ignoring/.leave-out").write_text("file-1.*\n")
    return found


def taken(host: SshHost, root: str | Path, rules: FileRules = FileRules()) -> Any:
    """All entries as they would be listed, with their contents, and the warnings."""
    warnings, left, rows = [], [], []
    chooser = None if rules.everything else FileSelector(rules, 0)
    chosen = WalkRules(
        frozenset({b"empty"}), chooser, lambda path, size, rule: left.append((path, rule))
    )
    for found in host.tree(str(root), chosen, warnings.append):
        entry = found.entry
        contents = b""
        if entry.type == "file":
            with closing(found.open()) as source:
                contents = source.read()
        rows.append((entry, contents))
    return rows, warnings, left


def test_a_tree_is_the_same_over_ssh(remote: SshHost, tree: Path) -> None:
    (tree / "big.bin").write_bytes(os.urandom(3_000_000))
    with contextlib.suppress(OSError):
        os.setxattr(tree / "plain", "user.note", b"\x00\xff\nink")
        os.setxattr(tree / "dir", "user.folder", b"1")
        os.setxattr(tree / "plain", "user.a=b%", b"2")
        os.setxattr(tree / "dir.txt", b"user.caf\xe9", b"3")
    subprocess.run(["chattr", "+d", tree / "plain", tree / "dir"], capture_output=True)
    for ours, theirs in zip(taken(remote, tree), taken(LocalHost(), tree), strict=True):
        for mine, other in zip(ours, theirs, strict=True):
            assert mine == other
    assert taken(remote, tree, RULES) == taken(LocalHost(), tree, RULES)
    rows, _, left = taken(remote, tree, RULES)
    names = {entry.text for entry, _ in rows}
    assert "tagged/CACHEDIR.TAG" in names and "tagged/file-0.html" not in names
    assert "cache" in names and "cache/file-0.html" not in names and "dir.txt" in names
    assert "ignoring/deep/file-1.html" not in names and "ignoring/deep/file-0.html" in names
    assert (b"ignoring/deep/file-1.html", "ignoring/.leave-out: file-1.*") in left


def test_only_what_is_included_and_the_way_there(remote: SshHost, tree: Path) -> None:
    rules = FileRules(includes=("deep/", "*.bin"))
    for host in (remote, LocalHost()):
        assert [entry.text for entry, _ in taken(host, tree, rules)[0]] == [
            "",
            "ignoring",
            "ignoring/deep",
            "ignoring/deep/file-0.html",
            "ignoring/deep/file-1.html",
            "ignoring/deep/file-2.html",
        ]


def test_a_large_tree_is_sorted_on_disk(
    remote: SshHost, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("fasciculus.hosts.ssh.find._HELD", 50)
    root = tmp_path / "many"
    for number in range(400):
        folder = root / f"{number % 7}" / ("x" * (number % 5 + 1))
        folder.mkdir(parents=True, exist_ok=True)
        (folder / f"{number}.txt").write_text(str(number))
    assert taken(remote, root) == taken(LocalHost(), root)


def test_what_cannot_be_sent_is_named(remote: SshHost, tree: Path) -> None:
    rows, warnings = [], []
    for found in remote.tree(str(tree), WalkRules(), warnings.append):
        if found.entry.path == b"":
            os.unlink(tree / "ignoring/deep/file-2.html")
            os.unlink(tree / "zz-hard")
        rows.append(found.entry.text)
    # Whether tar had come that far already is not for the test to know; nothing else may be lost.
    missing = {"ignoring/deep/file-2.html"} - set(rows)
    assert [w for w in warnings if "vanished" in w] == [
        f"{m}: vanished before it was read" for m in missing
    ]
    with pytest.raises(MissingError, match=r"no/such/folder does not exist on 127\.0\.0\.1"):
        taken(remote, "/no/such/folder")


def test_a_host_without_a_shell_is_read_over_plain_sftp(
    bare_openssh: Any, tree: Path, tmp_path: Path
) -> None:
    remote = SshHost(bare_openssh.host(), tmp_path, unsafe_reading=True)
    steps = list(remote.steps())
    assert steps[-1].name == "commands" and "plain SFTP" in steps[-1].text
    assert "every seventh time contents are compared" in steps[-1].text and not remote.tells_ctime
    # It has no names of owners, no attributes, no links between names, and whole seconds.
    os.unlink(tree / "fifo")

    def plain(rows: Any) -> Any:
        return [
            (e.path, e.type, e.size, e.mode, e.uid, e.mtime_ns // 10**9 % 2**32, e.target, contents)
            for e, contents in rows
        ]

    assert plain(taken(remote, tree, FileRules(excludes=("*.txt",)))[0]) == plain(
        taken(LocalHost(), tree, FileRules(excludes=("*.txt",)))[0]
    )
    remote.close()


def test_root_reads_no_tree_of_people_over_plain_sftp_unless_it_is_allowed(
    bare_openssh: Any, tree: Path, tmp_path: Path
) -> None:
    spec = bare_openssh.host()
    if spec.user != "root":
        pytest.skip("who is not root has little to lose")
    remote = SshHost(spec, tmp_path)
    with pytest.raises(FasciculusError) as caught:
        taken(remote, tree)
    assert "Install Python 3.7" in caught.value.hint
    remote.close()


def test_sqlite_over_ssh_while_it_is_written_to(
    remote: SshHost, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "site.sqlite"
    with closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA journal_mode=WAL")
        db.execute("CREATE TABLE page (id INTEGER PRIMARY KEY, body TEXT)")
        db.executemany("INSERT INTO page (body) VALUES (?)", [("x" * 500,)] * 400)
        db.commit()
        # Still open: its rows are in the write-ahead log alone.
        target = tmp_path / "copy.sqlite"
        assert copy_database(remote, os.fsencode(path), target, str(tmp_path)) == {"page": 400}
        written = threading.Event()
        fetch = sqlite_copy.fetch

        def disturbed(host: SshHost, source: bytes, copy: Path) -> None:
            fetch(host, source, copy)
            if not written.is_set():
                written.set()
                db.execute("INSERT INTO page (body) VALUES ('late')")
                db.commit()

        monkeypatch.setattr(sqlite_copy, "fetch", disturbed)
        assert copy_database(remote, os.fsencode(path), target, str(tmp_path)) == {"page": 401}
    with closing(sqlite3.connect(target)) as copy:
        assert copy.execute("SELECT count(*) FROM page").fetchone() == (401,)
    with pytest.raises(MissingError):
        copy_database(remote, b"/no/such.sqlite", target, "/")


def test_a_database_behind_the_host(remote: SshHost, mariadb: PrivateMariaDb) -> None:
    with connect(
        mariadb_spec(socket=mariadb.socket, user="fasciculus", password="ledger"), remote
    ) as server:
        assert server.rows("SELECT 1") == ((b"1",),)
        server.rows("USE mysql")
        assert sum(1 for _ in server.stream("SELECT seq FROM seq_1_to_50000")) == 50000
    with pytest.raises(UnreachableError, match="does not answer on 127"):
        with connect(mariadb_spec(socket="/no/such.sock", user="x"), remote):
            pass
    with pytest.raises(UnreachableError, match="does not answer on 127"):
        with connect(mariadb_spec(address="127.0.0.1", port=1, user="x"), remote):
            pass


def test_commands_have_a_time_limit_and_a_clean_environment(
    remote: SshHost, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("FASCICULUS_TOKEN", "not-for-commands")
    for host in (remote, LocalHost()):
        assert host.run("echo in: $(cat); exit 3", 20, b"text").output == b"in: text\n"
        assert host.run("exit 3", 20).code == 3
        assert b"not-for-commands" not in host.run("env", 20).output
        slow = host.run("echo began; sleep 60", 3)
        assert slow.code is None and slow.output == b"began\n"
        assert len(host.run("yes | head -c 100000", 20, limit=1000).output) == 1000


def test_a_file_of_settings_has_a_bound(
    remote: SshHost, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(text_files, "MOST", 1000)
    (tmp_path / "aliases").write_bytes(b"postmaster: root\n" + b"\xff" * 983)
    (tmp_path / "endless").write_bytes(b"x" * 1001)
    for host in (remote, LocalHost()):
        assert len(host.read_text(str(tmp_path / "aliases"))) == 1000
        with pytest.raises(SettingError, match="this is no file of settings"):
            host.read_text(str(tmp_path / "endless"))


def test_each_step_of_reaching_a_host_is_said(openssh: Any, tmp_path: Path) -> None:
    good = openssh.host()
    assert [s.name for s in SshHost(good, tmp_path).steps()] == [
        "connect",
        "host key",
        "sign in",
        "commands",
    ]
    other = SshSpec("127.0.0.1", good.port, good.user, "SHA256:other", good.secrets)
    with pytest.raises(UnreachableError, match="SHA256:other was accepted"):
        list(SshHost(other, tmp_path).steps())


def test_a_folder_exchanged_for_a_link_brings_nothing_from_outside_over_ssh(
    remote: SshHost, tmp_path: Path
) -> None:
    home, other = tmp_path / "home", tmp_path / "other"
    for place in ("x", "a/b/x"):
        (home / place).mkdir(parents=True)
        for number in range(20):
            (home / place / f"secret-{number}").write_bytes(b"my own")
    other.mkdir()
    for number in range(20):
        (other / f"secret-{number}").write_bytes(b"of another customer")
    stop, swaps = threading.Event(), [0]

    def exchange() -> None:
        while not stop.is_set():
            for place in ("x", "a/b/x"):
                real, aside = home / place, home / f"{place}-aside"
                os.rename(real, aside)
                os.symlink(other, real)
                os.unlink(real)
                os.rename(aside, real)
                swaps[0] += 1

    remote.connect()
    assert remote.has_interpreter
    hostile = threading.Thread(target=exchange)
    hostile.start()
    try:
        for _ in range(7):
            rows, _, _ = taken(remote, home)
            assert not any(contents == b"of another customer" for _, contents in rows)
    finally:
        stop.set()
        hostile.join()
    assert swaps[0] > 150 and len(taken(remote, home)[0]) == 1 + 4 + 40


def test_a_root_that_is_a_link_out_of_the_home_is_refused_over_ssh(
    remote: SshHost, tmp_path: Path
) -> None:
    home, other = tmp_path / "home", tmp_path / "other"
    for folder in (home / "releases/7", other):
        folder.mkdir(parents=True)
        (folder / "secret").write_bytes(os.fsencode(folder.name))
    os.chmod(home, 0o777)
    (home / "current").symlink_to("releases/7")
    (home / "site").symlink_to("../other")

    def read(root: Path) -> list[bytes]:
        rows = remote.tree(str(root), WalkRules(), lambda text: None, str(home))
        return [row.entry.path for row in rows if row.entry.type == "file"]

    assert read(home / "current") == [b"secret"]
    with pytest.raises(FasciculusError, match=r"site could not be read \(.*out of the home\)"):
        read(home / "site")


def test_without_an_interpreter_tar_serves_and_the_try_says_what_that_means(
    remote: SshHost, tree: Path
) -> None:
    steps = {step.name: step.text for step in remote.steps()}
    assert steps["commands"] == "A shell, find and Python are there."
    remote.close()
    whole = taken(remote, tree)
    # As if the machine had no Python: it cannot be taken from it for a test.
    remote._reads_safely = False
    steps = {step.name: step.text for step in remote.steps()}
    assert "no Python 3.7. A user who exchanges one of their folders" in steps["commands"]
    if openssh_user(remote) == "root":
        assert "are not read" in steps["commands"] and "unsafe reading" in steps["commands"]
        remote.close()
        with pytest.raises(FasciculusError, match="without following their links"):
            taken(remote, tree)
    # As the host's setting would have it, on the same connection.
    remote._unsafe_reading = True
    assert "are not read" not in {step.name: step.text for step in remote.steps()}["commands"]
    remote.close()
    assert taken(remote, tree) == whole


def openssh_user(host: Any) -> Any:
    # The user that the connection signs in as.
    return host._link.spec.user


def test_a_single_file_is_read_and_written_through_no_link_that_others_set(
    remote: SshHost, tmp_path: Path
) -> None:
    """Sieve scripts and hold flags are in users' folders."""
    home, other = tmp_path / "home", tmp_path / "other"
    home.mkdir()
    os.chmod(home, 0o777)
    other.mkdir()
    (other / "secret").write_text("of another user")
    (home / "mine").write_text("my own")
    (home / "script").symlink_to(other / "secret")
    (home / "folder").symlink_to(other)
    (home / os.fsdecode(partial_name(b"mine"))).symlink_to(other / "secret")
    with closing(remote.open(os.fsencode(home / "mine"))) as file:
        assert file.now().size == 6 and file.read() == b"my own"
    for name in ("script", "folder/secret", "absent"):
        with pytest.raises(OSError, match=r"link|No such file|symbolic"):
            remote.open(os.fsencode(home / name))
    remote.write(str(home / "mine"), b"changed")
    assert (home / "mine").read_text() == "changed"
    for name in ("script", "folder/new"):
        with pytest.raises(OSError, match=r"link that others could set|symbolic"):
            remote.write(str(home / name), b"x")
    with pytest.raises(OSError, match=r"link|symbolic"):
        remote.remove(str(home / "folder/secret"))
    assert [path.name for path in other.iterdir()] == ["secret"]
    assert (other / "secret").read_text() == "of another user"
    remote.write(str(home / "new/deep/file"), b"\0\xff")
    made = home / "new/deep/file"
    assert made.read_bytes() == b"\0\xff" and made.stat().st_mode & 0o7777 == 0o644
    remote.remove(str(made))
    remote.remove(str(made))
    assert not made.exists()


def test_the_program_that_is_sent_needs_nothing_of_ours(tmp_path: Path) -> None:
    text = program_text("file_sender.py")
    assert "fasciculus" not in text.replace("fasciculus-", "") and "msgspec" not in text
    (tmp_path / "file").write_bytes(b"x" * 1000)
    (tmp_path / "gone").write_bytes(b"y")
    os.setxattr(tmp_path / "file", "user.note", b"\xff\n=")
    os.utime(tmp_path / "file", ns=(0, -1_500_000_000))
    names = b"./\0./file\0./none\0./file/below\0"
    ran = subprocess.run(
        [sys.executable, "-I", "-c", text, str(tmp_path), ""], input=names, capture_output=True
    )
    assert ran.stderr.splitlines() == [
        b"tar: ./none: Cannot open: No such file or directory",
        b"tar: ./file/below: Cannot open: Not a directory",
    ]
    with tarfile.open(fileobj=io.BytesIO(ran.stdout)) as archive:
        root, file = list(archive)
        assert (root.name, root.isdir(), file.name, file.size) == (".", True, "./file", 1000)
        assert file.pax_headers["mtime"] == "-1.500000000"
        value = file.pax_headers["SCHILY.xattr.user.note"].encode("utf-8", "surrogateescape")
        assert value == b"\xff\n=" and archive.extractfile(file).read() == b"x" * 1000


@pytest.mark.parametrize(
    "name",
    [
        *("file_sender.py", "placed_files.py", "tree_program.py", "tree_lister.py"),
        "side_program.py",
    ],
)
def test_what_is_sent_to_hosts_is_one_text_for_python_3_7(name: str) -> None:
    text = program_text(name)
    ast.parse(text, feature_version=(3, 7))
    assert "from ." not in text and text.count("__main__") == 1
    # One argument of a command has at most 128 KiB.
    assert len(text) < 100_000
