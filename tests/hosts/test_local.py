"""This machine's files, in the hands of people who may be hostile."""

from __future__ import annotations

import os
import shutil
import sqlite3
import struct
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest

from fasciculus.core.bundle.root_path import open_file, open_root
from fasciculus.core.bundle.tree.open_folders import OpenFolders
from fasciculus.core.bundle.tree.open_tree import OpenTree
from fasciculus.core.bundle.tree.tree_walk import WalkRules, scan
from fasciculus.core.errors import FasciculusError, MissingError
from fasciculus.databases.sqlite import copy as sqlite_copy
from fasciculus.databases.sqlite.copy import copy_database
from fasciculus.hosts.local import LocalHost

SECRET = b"of another customer"


@pytest.fixture
def valley(tmp_path: Path) -> Path:
    """A home that its owner may change at any moment, and what is another's."""
    os.chmod(tmp_path, 0o755)
    home = tmp_path / "home"
    home.mkdir()
    os.chmod(home, 0o777)
    other = tmp_path / "other"
    other.mkdir()
    (other / "secret").write_bytes(SECRET)
    return tmp_path


def read(root: Path, home: str | Path = "", chosen: Any = None) -> Any:
    """Everything that is read of a tree: what is in each file by its path."""
    found, warned = {}, []
    for row in LocalHost().tree(str(root), chosen or WalkRules(), warned.append, str(home)):
        if row.entry.type == "file":
            try:
                with closing(row.open()) as file:
                    found[row.entry.path] = file.read()
            except OSError as error:
                warned.append(str(error))
    return found, warned


# Reading while things are exchanged -----------------------------------------


def test_a_folder_exchanged_for_a_link_brings_nothing_from_outside(valley: Path) -> None:
    """Thousands of times, at several depths, while it is walked through and read."""
    home, other = valley / "home", valley / "other"
    for place in ("x", "a/x", "a/b/x"):
        (home / place).mkdir(parents=True)
        for number in range(5):
            (home / place / f"secret-{number}").write_bytes(b"my own")
    for number in range(5):
        (other / f"secret-{number}").write_bytes(SECRET)
    stop, swaps = threading.Event(), [0]

    def exchange() -> None:
        while not stop.is_set():
            for place in ("x", "a/x", "a/b/x"):
                real, aside = home / place, home / f"{place}-aside"
                os.rename(real, aside)
                os.symlink(other, real)
                os.unlink(real)
                os.rename(aside, real)
                swaps[0] += 1

    hostile = threading.Thread(target=exchange)
    hostile.start()
    try:
        rounds = 0
        while swaps[0] < 3000 or rounds < 50:
            found, _ = read(home)
            assert SECRET not in found.values()
            rounds += 1
    finally:
        stop.set()
        hostile.join()
    assert read(home)[0], "and it is read when it is left in peace"


def test_a_file_exchanged_for_a_link_a_pipe_or_another_file(valley: Path) -> None:
    home = valley / "home"
    for name in "abc":
        (home / name).write_bytes(b"mine")
    rows = {}
    tree = LocalHost().tree(str(home), WalkRules(), lambda text: None)
    for row in tree:
        if row.entry.path == b"a":
            (home / "a").unlink()
            (home / "a").symlink_to(valley / "other/secret")
        if row.entry.path == b"b":
            (home / "b").unlink()
            os.mkfifo(home / "b")
        if row.entry.path == b"c":
            (home / "new").write_bytes(b"written anew")
            os.chmod(home / "new", 0o600)
            (home / "new").rename(home / "c")
        if row.entry.type == "file":
            try:
                with closing(row.open()) as file:
                    rows[row.entry.path] = (file.read(), row.entry.mode, row.entry.size)
            except OSError as error:
                rows[row.entry.path] = error.errno  # type: ignore[assignment]
    assert isinstance(rows[b"a"], int) and isinstance(rows[b"b"], int)
    assert rows[b"c"] == (b"written anew", 0o600, 12), "what is listed belongs to what was read"


def test_a_folder_that_took_the_place_of_another_is_not_entered(valley: Path) -> None:
    home = valley / "home"
    (home / "a").mkdir()
    (home / "a/x").write_bytes(b"mine")
    warned = []
    walk = scan(os.fsencode(home), warn=warned.append)
    assert next(walk).path == b""
    assert next(walk).path == b"a"
    (home / "a").rename(home / "z")
    (home / "a").mkdir()
    (home / "a/y").write_bytes(b"another folder")
    paths = [entry.path for entry in walk]
    assert b"a/y" not in paths
    assert warned and "exchanged for another folder" in warned[0]


def test_the_caller_reads_where_the_walk_stands_and_nowhere_else(valley: Path) -> None:
    home = valley / "home"
    (home / "a").mkdir()
    (home / "a/x").write_bytes(b"mine")
    rows = list(LocalHost().tree(str(home), WalkRules(), lambda text: None))
    with pytest.raises((OSError, IndexError)):
        rows[-1].open()


# The way to a root ------------------------------------------------------------------


def test_a_link_that_the_owner_means_is_followed_inside_the_home(valley: Path) -> None:
    home = valley / "home"
    (home / "releases/7/public").mkdir(parents=True)
    (home / "releases/7/public/index.html").write_bytes(b"seven")
    (home / "current").symlink_to("releases/7")
    root = home / "current/public"
    assert read(root, home)[0] == {b"index.html": b"seven"}
    with pytest.raises(FasciculusError, match="a link that others could set"):
        read(root)
    (home / "absolute").symlink_to(home / "releases/7/public")
    assert read(home / "absolute", home)[0] == {b"index.html": b"seven"}


@pytest.mark.parametrize("target", ["../other", "/etc", "a/../../other", "loop"])
def test_a_link_that_leads_out_is_refused(valley: Path, target: str) -> None:
    home = valley / "home"
    (home / "a").mkdir()
    (home / "loop").symlink_to("loop")
    (home / "site").symlink_to(target)
    with pytest.raises(FasciculusError, match="cannot be read") as caught:
        read(home / "site", home)
    assert caught.value.hint == "Check its owner and rights."
    (home / "site").unlink()
    (home / "site").symlink_to(f"{target}/")
    with pytest.raises(FasciculusError):
        read(home / "site/.", home)


def test_a_link_that_only_root_could_set_is_followed_anywhere(valley: Path) -> None:
    """As where /home is a link to another disk."""
    (valley / "disk").symlink_to("home")
    (valley / "home/x").write_bytes(b"mine")
    assert read(valley / "disk")[0] == {b"x": b"mine"}
    assert read(valley / "disk", valley / "disk")[0] == {b"x": b"mine"}


def test_a_root_that_is_not_there_or_no_folder(valley: Path) -> None:
    with pytest.raises(MissingError, match="does not exist"):
        read(valley / "home/none")
    (valley / "home/file").write_text("x")
    with pytest.raises(FasciculusError, match="cannot be read: Not a directory"):
        read(valley / "home/file")


@pytest.mark.parametrize("path", ["home/x", "home/./x", "home//x", "home/a/../x"])
def test_ways_to_one_place(valley: Path, path: str) -> None:
    (valley / "home/a").mkdir()
    (valley / "home/x").mkdir()
    (valley / "home/x/f").write_bytes(b"mine")
    os.close(open_root(os.fsencode(valley / path)))
    with open(open_file(os.fsencode(f"{valley}/{path}/f")), "rb") as file:
        assert file.read() == b"mine"


def test_a_file_by_its_path_is_not_reached_through_a_link_of_others(valley: Path) -> None:
    home = valley / "home"
    (home / "x").symlink_to(valley / "other")
    for path in (home / "x/secret", home / "y"):
        (home / "y").unlink(missing_ok=True)
        (home / "y").symlink_to(valley / "other/secret")
        with pytest.raises(OSError):
            LocalHost().open(os.fsencode(path))


# Depth ------------------------------------------------------------------------------


@pytest.fixture
def deep(tmp_path: Path) -> Iterator[Path]:
    """A folder for trees too deep for those who remove folders by their paths."""
    yield tmp_path
    subprocess.run(["find", str(tmp_path), "-mindepth", "1", "-delete"], check=True)


def test_two_thousand_folders_deep_with_few_descriptors(deep: Path) -> None:
    here = os.open(deep, os.O_RDONLY)
    for number in range(2000):
        os.mkdir("d", dir_fd=here)
        if number % 500 == 0:
            with open(os.open("f", os.O_WRONLY | os.O_CREAT, dir_fd=here), "wb") as file:
                file.write(b"%d" % number)
        below = os.open("d", os.O_RDONLY, dir_fd=here)
        os.close(here)
        here = below
    os.close(here)
    before = len(os.listdir("/proc/self/fd"))
    most, paths = 0, []
    for row in LocalHost().tree(str(deep), WalkRules(), pytest.fail):
        paths.append(row.entry.path)
        if row.entry.type == "file":
            with closing(row.open()) as file:
                assert file.read() == b"%d" % (500 * (len(row.entry.path) // 1000))
        if len(paths) % 100 == 0:
            most = max(most, len(os.listdir("/proc/self/fd")) - before)
    assert len(paths) == 2005 and max(map(len, paths)) == 3999
    assert most < 200 and len(os.listdir("/proc/self/fd")) <= before


def test_folders_that_were_closed_are_opened_again_only_if_they_are_the_same(
    tmp_path: Path,
) -> None:
    deep = tmp_path
    for _ in range(200):
        deep = deep / "d"
    deep.mkdir(parents=True)
    folders = OpenFolders(open_root(os.fsencode(tmp_path)))
    for _ in range(200):
        folders.enter(b"d", os.stat("d", dir_fd=folders.top))
    (tmp_path / "d/d").rename(tmp_path / "d/e")
    shutil.copytree(tmp_path / "d/e", tmp_path / "d/d")
    for _ in range(190):
        folders.leave()
    with pytest.raises(OSError, match="exchanged for another folder"):
        assert folders.top
    folders.close()


# SQLite ------------------------------------------------------------------------------


def database(path: Path, text: str) -> None:
    with closing(sqlite3.connect(path)) as db:
        db.execute("CREATE TABLE notes (text)")
        db.execute("INSERT INTO notes VALUES (?)", (text,))
        db.commit()


def copied(path: Path, target: Path, home: Path) -> Any:
    rows = copy_database(LocalHost(), os.fsencode(path), target, str(home))
    with closing(sqlite3.connect(target)) as db:
        return rows, db.execute("SELECT text FROM notes").fetchall()


def test_a_database_is_copied_also_while_it_is_written_to(valley: Path) -> None:
    home = valley / "home"
    database(home / "guests.db", "mine")
    with closing(sqlite3.connect(home / "guests.db")) as writing:
        writing.execute("PRAGMA journal_mode=WAL")
        writing.execute("INSERT INTO notes VALUES ('second')")
        writing.commit()
        found = copied(home / "guests.db", valley / "copy", home)
    assert found == ({"notes": 2}, [("mine",), ("second",)])


def test_a_database_that_is_a_link_out_of_the_home_is_not_read(valley: Path) -> None:
    home = valley / "home"
    database(valley / "other/secret.db", "theirs")
    (home / "guests.db").symlink_to(valley / "other/secret.db")
    with pytest.raises(FasciculusError, match=r"guests\.db cannot be read"):
        copied(home / "guests.db", valley / "copy", home)
    (home / "guests.db").unlink()
    database(home / "real.db", "mine")
    (home / "guests.db").symlink_to("real.db")
    assert copied(home / "guests.db", valley / "copy2", home)[1] == [("mine",)]


def test_a_database_exchanged_between_looking_and_opening_is_not_read(
    valley: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    home = valley / "home"
    database(home / "guests.db", "mine")
    database(valley / "other/secret.db", "theirs")
    readlink = os.readlink

    def swapped(place: bytes, *more: Any, **options: Any) -> bytes:
        if place.startswith(b"/proc/self/fd") and not (home / "aside.db").exists():
            found = readlink(place)
            (home / "guests.db").rename(home / "aside.db")
            (home / "guests.db").symlink_to(valley / "other/secret.db")
            return found
        return readlink(place, *more, **options)

    monkeypatch.setattr(sqlite_copy.os, "readlink", swapped)
    with pytest.raises(FasciculusError, match="exchanged for another file while it was opened"):
        copy_database(LocalHost(), os.fsencode(home / "guests.db"), valley / "copy", str(home))


EXCHANGING = """
import os, sys
home, other = sys.argv[1:]
while True:
    os.rename(home + "/data", home + "/aside")
    os.symlink(other, home + "/data")
    os.unlink(home + "/data")
    os.rename(home + "/aside", home + "/data")
"""


def test_a_folder_exchanged_by_another_process_brings_no_log_of_strangers(valley: Path) -> None:
    """SQLite opened the log by its path, some time after the database."""
    home, other = valley / "home", valley / "other"
    (home / "data").mkdir()
    with closing(sqlite3.connect(other / "app.db")) as theirs:
        theirs.execute("PRAGMA journal_mode=WAL")
        theirs.execute("PRAGMA wal_autocheckpoint=0")
        theirs.execute("CREATE TABLE notes (text)")
        theirs.commit()
        # The same pages, so that the stranger's log fits to the own database.
        shutil.copy(other / "app.db", home / "data/app.db")
        theirs.execute("INSERT INTO notes VALUES ('theirs')")
        theirs.commit()
        shutil.copy(other / "app.db-wal", other / "kept-wal")
        database_of_wal = home / "data/app.db"
        with closing(sqlite3.connect(database_of_wal)) as mine:
            mine.execute("CREATE TABLE IF NOT EXISTS notes (text)")
            mine.execute("INSERT INTO notes VALUES ('mine')")
            mine.commit()
        command = [sys.executable, "-c", EXCHANGING, str(home), str(other)]
        outcomes = set()
        with subprocess.Popen(command) as exchanging:
            try:
                for _ in range(100):
                    try:
                        outcomes.add(str(copied(database_of_wal, valley / "copy", home)[1]))
                    except FasciculusError:
                        outcomes.add("refused")
            finally:
                exchanging.kill()
        assert outcomes <= {"refused", "[('mine',)]"}
        assert "refused" in outcomes or len(outcomes) == 1


def test_files_that_other_threads_open_and_close_refuse_no_sound_database(valley: Path) -> None:
    home = valley / "home"
    database(home / "guests.db", "mine")
    closing_time = threading.Event()

    def churn() -> None:
        while not closing_time.is_set():
            os.close(os.open(valley / "other", os.O_RDONLY))

    others = [threading.Thread(target=churn) for _ in range(4)]
    for thread in others:
        thread.start()
    try:
        for _ in range(50):
            assert copied(home / "guests.db", valley / "copy", home)[1] == [("mine",)]
    finally:
        closing_time.set()
        for thread in others:
            thread.join()


def test_a_log_that_is_a_link_or_a_pipe_is_not_read(valley: Path) -> None:
    home, other = valley / "home", valley / "other"
    database(home / "guests.db", "mine")
    (other / "log").write_bytes(b"x" * 4096)
    (home / "guests.db-wal").symlink_to(other / "log")
    os.mkfifo(home / "guests.db-journal")
    assert copied(home / "guests.db", valley / "copy", home)[1] == [("mine",)]


def test_a_journal_does_not_make_sqlite_open_or_remove_another_file(valley: Path) -> None:
    """It names the journal of a change of several databases, which SQLite removes at the end."""
    home = valley / "home"
    database(home / "guests.db", "mine")
    victim = valley / "victim"
    victim.write_text("of root")
    name = os.fsencode(victim)
    header = bytes.fromhex("d9d505f920a163d7") + struct.pack(">IIIII", 0, 7, 2, 512, 4096)
    tail = struct.pack(">I", 1) + name + struct.pack(">II", len(name), sum(name))
    (home / "guests.db-journal").write_bytes(
        header.ljust(512, b"\0") + tail + bytes.fromhex("d9d505f920a163d7")
    )
    with pytest.raises(FasciculusError, match="within a transaction over several databases"):
        copied(home / "guests.db", valley / "copy", home)
    assert victim.read_text() == "of root"


def test_a_hot_journal_is_rolled_back_in_the_copy_alone(valley: Path) -> None:
    """An application died during a transaction."""
    home = valley / "home"
    database(home / "guests.db", "mine")
    program = (
        "import os, sqlite3, sys\n"
        "db = sqlite3.connect(sys.argv[1], isolation_level=None)\n"
        "db.execute('PRAGMA cache_size=1')\n"
        "db.execute('BEGIN')\n"
        "db.executemany('INSERT INTO notes VALUES (?)', [('torn' * 500,)] * 200)\n"
        "os._exit(9)\n"
    )
    subprocess.run([sys.executable, "-c", program, str(home / "guests.db")])
    before = (home / "guests.db").read_bytes()
    assert (home / "guests.db-journal").stat().st_size and b"torn" in before
    assert copied(home / "guests.db", valley / "copy", home)[1] == [("mine",)]
    assert (home / "guests.db").read_bytes() == before


def test_a_database_is_consistent_while_it_is_written_to_all_the_time(valley: Path) -> None:
    home = valley / "home"
    program = (
        "import sqlite3, sys, time\n"
        "db = sqlite3.connect(sys.argv[1], timeout=60)\n"
        "db.execute('PRAGMA journal_mode=' + sys.argv[2])\n"
        "db.execute('PRAGMA wal_autocheckpoint=5')\n"
        "db.execute('CREATE TABLE IF NOT EXISTS pair (a, b)')\n"
        "db.commit()\n"
        "print('ready', flush=True)\n"
        "while True:\n"
        "    for n in range(30):\n"
        "        db.execute('INSERT INTO pair VALUES (?, ?)', (n, n))\n"
        "    db.execute('DELETE FROM pair WHERE rowid % 7 = 0')\n"
        "    db.commit()\n"
    )
    for mode in ("WAL", "DELETE", "TRUNCATE", "PERSIST"):
        path = home / f"{mode}.db"
        command = [sys.executable, "-c", program, str(path), mode]
        with subprocess.Popen(command, stdout=subprocess.PIPE) as writing:
            try:
                assert writing.stdout.readline() == b"ready\n"
                for _ in range(8):
                    copy_database(LocalHost(), os.fsencode(path), valley / "copy", str(home))
                    with closing(sqlite3.connect(valley / "copy")) as db:
                        assert db.execute("PRAGMA integrity_check").fetchone() == ("ok",)
                        rows = db.execute("SELECT count(*) FROM pair WHERE a <> b").fetchone()
                        assert rows == (0,)
            finally:
                writing.kill()


def test_a_database_that_is_not_there(valley: Path) -> None:
    with pytest.raises(MissingError, match="does not exist"):
        copied(valley / "home/none.db", valley / "copy", valley / "home")


def test_an_open_tree_names_places_of_the_present_folder(valley: Path) -> None:
    home = valley / "home"
    (home / "a").mkdir()
    (home / "a/x").write_bytes(b"mine")
    with OpenTree(os.fsencode(home)) as tree:
        tree.enter(b"a", b"a", os.stat(home / "a"))
        assert os.lstat(tree.place(b"x")).st_size == 4
        with open(tree.open(b"a/x")[0], "rb") as file:
            assert file.read() == b"mine"
        with pytest.raises(OSError, match="the walk has gone on"):
            tree.open(b"x")
        tree.stay(b"a/none")
        tree.leave()
        tree.leave()
        assert os.fstat(tree.folders.top).st_ino == home.stat().st_ino
