"""Incremental bundles: what changed and no more, always complete, whatever happens in between."""

from __future__ import annotations

import json
import os
import shutil
import sqlite3
import subprocess
import time
from collections.abc import Callable, Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from copies import pieces_needed, sweep
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule
from nights import SUBJECT, Nights, NotAll, Power, settled
from running import until
from trees import picture

from fasciculus.core.bundle.tree.tree_walk import WalkRules
from fasciculus.core.errors import FasciculusError, UnreachableError
from fasciculus.hosts.base import HostEntry
from fasciculus.hosts.local import LocalHost
from fasciculus.hosts.ssh.host import SshHost
from fasciculus.hosts.ssh.tar import TarReader
from fasciculus.stores import open_store
from fasciculus.stores.folder import FolderStore


def test_a_night_stores_what_changed_and_shows_everything(nights: Nights) -> None:
    assert nights.night()["brings"] == "full"
    first = nights.brought()
    assert nights.night()["brings"] == "incremental" and nights.brought() == 0
    tree = nights.tree
    (tree / "site-1/page-1.html").write_bytes(os.urandom(5000))
    (tree / "new").mkdir()
    (tree / "new/page.html").write_bytes(os.urandom(3000))
    (tree / "site-2/page-2.html").unlink()
    os.rename(tree / "site-3", tree / "moved")
    shutil.copy(tree / "film.bin", tree / "film-copy.bin")
    os.utime(tree / "picture.bin")
    (tree / "site-0/page-0.html").chmod(0o600)
    nights.night()
    assert 8000 < nights.brought() < 8000 + 3 * 1024, (
        "moved, copied and touched files are not stored again"
    )
    for name in nights.known:
        assert nights.restored(name) == nights.images[name]
    assert nights.night(incremental=False)["brings"] == "full" and nights.brought() > first
    nights.night()
    assert (
        nights.brought() == 0
        and nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]
    )


@pytest.mark.parametrize("worth", [0, 5000], ids=["looking ahead", "alone"])
def test_states_spare_reading_the_listing_and_never_hide_a_change(
    nights: Nights, worth: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Any mix of changes: the bundle is as if every line had been read."""
    monkeypatch.setattr("fasciculus.core.bundle.tree.stat_prefetch.WORTH", worth)
    tree = nights.tree
    for number in range(8):
        (tree / "many").mkdir(exist_ok=True)
        (tree / f"many/file-{number}").write_bytes(os.urandom(500))
    (tree / "many/link").symlink_to("file-1")
    settled(nights)
    nights.night()
    assert nights.night()["listing_sha256"] == nights.manifests[nights.known[0]]["listing_sha256"]
    changes = {
        "a new file in the middle": lambda: (tree / "many/file-4b").write_text("new"),
        "a folder in the middle": lambda: (tree / "many/file-5b").mkdir(),
        "one in it": lambda: (tree / "many/file-5b/x").write_text("x"),
        "one gone": lambda: (tree / "many/file-2").unlink(),
        "a folder gone": lambda: shutil.rmtree(tree / "site-1"),
        "rights": lambda: (tree / "many/file-3").chmod(0o600),
        "a file made a link": lambda: (
            (tree / "many/file-6").unlink(),
            (tree / "many/file-6").symlink_to("x"),
        ),
        "a file made a folder": lambda: (
            (tree / "many/file-7").unlink(),
            (tree / "many/file-7").mkdir(),
        ),
        "another name": lambda: os.link(tree / "many/file-0", tree / "zz"),
        "the same size and time": lambda: keep_time(tree / "many/file-1", os.urandom(500)),
        "an attribute": lambda: os.setxattr(tree / "many/file-5", "user.note", b"x"),
    }
    for what, change in changes.items():
        change()  # type: ignore[no-untyped-call]
        settled(nights)
        nights.night()
        assert nights.restored(nights.known[-1]) == nights.images[nights.known[-1]], what
        assert nights.manifests[nights.known[-1]]["contents"]["files"]["entries"] == len(
            picture(tree)
        ), what
    before = nights.known[-1]
    nights.night(rules={"excludes": ["file-4b"]})
    assert b"many/file-4b" not in nights.restored(nights.known[-1]), (
        "other rules are not read by old states"
    )
    (nights.root / f"{nights.known[-1]}.states").write_bytes(b"not at all states")
    nights.night()
    assert nights.restored(nights.known[-1]) == nights.images[before]


def keep_time(path: Path, data: bytes) -> None:
    info = path.stat()
    path.write_bytes(data)
    os.utime(path, ns=(info.st_atime_ns, info.st_mtime_ns))


@pytest.mark.parametrize("rows", [200, 20_000])
def test_an_sqlite_database_that_did_not_change_is_not_stored_again(
    nights: Nights, rows: int
) -> None:
    databases = [{"engine": "sqlite", "name": "site", "path": "site.sqlite"}]
    more = {"contents": ["files", "databases"], "databases": databases}
    with closing(sqlite3.connect(nights.tree / "site.sqlite")) as db:
        db.execute("CREATE TABLE page (id INTEGER PRIMARY KEY, body TEXT)")
        db.executemany(
            "INSERT INTO page (body) VALUES (?)", [(f"page {n} " * 8,) for n in range(rows)]
        )
        db.commit()
        nights.night(**more)
        nights.night(**more)
        assert nights.brought() == 0
        db.execute("UPDATE page SET body='edited' WHERE id=1")
        db.commit()
        nights.night(**more)
        assert nights.brought() > 0


def test_comparing_contents_finds_what_kept_its_size_and_time(nights: Nights) -> None:
    nights.night()
    path = nights.tree / "site-1/page-1.html"
    info = path.stat()

    class Forged(LocalHost):
        """A host on which a file's state is unchanged, though its contents are not."""

        def tree(
            self, root: str, chosen: WalkRules, warn: Callable[..., Any], home: str = ""
        ) -> Iterator[HostEntry]:
            for found in super().tree(root, chosen, warn, home):
                if found.entry.path == b"site-1/page-1.html":
                    found.entry.ctime_ns, found.entry.inode = listed["ctime_ns"], listed["inode"]
                yield found

    text = subprocess.run(
        ["zstd", "-dc", nights.root / f"{nights.known[-1]}.zst"], check=True, capture_output=True
    )
    listed = next(
        r for r in map(json.loads, text.stdout.splitlines()) if r["path"] == "site-1/page-1.html"
    )
    path.write_bytes(os.urandom(4000))
    os.utime(path, ns=(info.st_mtime_ns, info.st_mtime_ns))
    nights.night(host=Forged())
    assert nights.brought() == 0
    nights.night(host=Forged(), compare=True)
    assert 4000 < nights.brought() < 6000
    assert nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]


def test_what_lies_in_a_damaged_piece_is_stored_again(nights: Nights) -> None:
    nights.night()
    piece = max(nights.manifests[nights.known[0]]["pieces"], key=lambda p: p["bytes"])["name"]
    path = nights.root / "attic/accounts/millpond/pieces" / piece
    data = bytearray(path.read_bytes())
    data[len(data) // 2] ^= 1
    path.write_bytes(data)
    with pytest.raises(NotAll, match=r"film\.bin"):
        nights.restored(nights.known[0])
    nights.night(damaged=[piece])
    assert nights.brought() > 0
    assert piece not in [p["name"] for p in nights.manifests[nights.known[-1]]["pieces"]]
    assert nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]


def test_a_store_that_lacks_the_bundle_before_gets_a_full_one(nights: Nights) -> None:
    nights.night()
    nights.night()
    piece = nights.manifests[nights.known[-1]]["pieces"][0]["name"]
    os.unlink(nights.root / "attic/accounts/millpond/pieces" / piece)
    assert nights.night()["brings"] == "full"
    assert "This bundle is a full one" in " ".join(e.get("text", "") for e in nights.events)
    assert nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]


def test_a_store_that_lacks_pieces_is_brought_them_and_nothing_is_sent_twice(
    tmp_path: Path,
) -> None:
    """One is absent, one is another: the first is brought, the other is never written over."""
    nights = Nights(tmp_path / "n", "cellar")
    (nights.tree / "film.bin").write_bytes(os.urandom(3_000_000))
    nights.night()
    (nights.tree / "page.html").write_bytes(os.urandom(20_000))
    nights.night()
    first = [row["name"] for row in nights.manifests[nights.known[0]]["pieces"]]
    for name in first:
        nights.piece(name, "cellar").unlink()
    (nights.tree / "later.html").write_bytes(os.urandom(20_000))
    assert nights.night()["brings"] == "incremental" and nights.brought() < 30_000
    for store in ("attic", "cellar"):
        assert nights.restored(nights.known[-1], store) == nights.images[nights.known[-1]]
    said = " ".join(event.get("text", "") for event in nights.events)
    assert "store cellar lacked" in said and "of the bundle before: brought from attic" in said
    other = nights.piece(nights.manifests[nights.known[-1]]["pieces"][0]["name"], "cellar")
    other.unlink()
    other.write_bytes(b"another one")
    assert nights.night()["brings"] == "full" and other.read_bytes() == b"another one"
    for store in ("attic", "cellar"):
        assert nights.restored(nights.known[-1], store) == nights.images[nights.known[-1]]


@pytest.mark.parametrize("wrong", ["another store", "too full", "cannot be listed"])
def test_a_store_that_cannot_be_brought_anything_costs_itself(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, wrong: str
) -> None:
    """Nothing is written to a store that is not ours, or that has no room to spare."""
    nights = Nights(tmp_path / "n", "cellar")
    (nights.tree / "film.bin").write_bytes(os.urandom(300_000))
    nights.night()
    lost = nights.manifests[nights.known[-1]]["pieces"][0]["name"]
    nights.piece(lost, "cellar").unlink()
    if wrong == "another store":
        mark = nights.root / "cellar/fasciculus-store.json"
        mark.write_text(mark.read_text().replace("5" * 32, "6" * 32))
    elif wrong == "too full":
        order = nights.store_order
        monkeypatch.setattr(nights, "store_order", lambda name: {**order(name), "reserve": 10_000})
        free = {"attic": 1 << 40, "cellar": 10_001}
        monkeypatch.setattr(FolderStore, "free", lambda store: free[store.spec.name])
    else:
        whole: Any = FolderStore.items

        def broken(store: FolderStore, folder: str) -> Any:
            if store.spec.name == "cellar":
                raise UnreachableError("The folder cannot be listed.")
            return whole(store, folder)

        monkeypatch.setattr(FolderStore, "items", broken)
    (nights.tree / "page.html").write_bytes(os.urandom(20_000))
    assert nights.night()["brings"] == "incremental"
    failed = {e["store"]: e["error"] for e in nights.events if e["event"] == "copy" and e["error"]}
    assert set(failed) == {"cellar"}, failed
    assert not nights.piece(lost, "cellar").exists()
    assert nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]


def test_fourteen_nights_of_one_percent_churn(nights: Nights) -> None:
    """Within 1.15 times the first night plus the packed changes."""
    nights.night()
    first, changed = nights.brought(), 0
    for night in range(14):
        for number in range(3):
            path = nights.tree / f"site-{night % 4}/page-{night * 3 + number}.html"
            path.parent.mkdir(exist_ok=True)
            path.write_bytes(os.urandom(16_000))
            changed += 16_000
        nights.night(keep=30)
    stored = sum(p.stat().st_size for p in (nights.root / "attic").rglob("*") if p.is_file())
    assert stored <= 1.15 * (first + changed)


NAMES = st.sampled_from(["a", "b", "c", "d/e", "d/f", "d/g/h", "i"])


pytestmark = pytest.mark.usefixtures("writes_can_be_cut")


class Store(RuleBasedStateMachine):
    """Random edits, nights, retiring and power cuts: what counts as complete always restores
    exactly.
    """

    @initialize()
    def begin(self) -> None:
        import tempfile

        self.folder = tempfile.TemporaryDirectory()
        self.nights = Nights(Path(self.folder.name) / "n")
        self.flipped: set[str] = set()

    def teardown(self) -> None:
        if hasattr(self, "folder"):
            self.folder.cleanup()

    @rule(name=NAMES, size=st.integers(0, 9000), seed=st.integers(0, 3))
    def write(self, name: Any, size: Any, seed: Any) -> None:
        path = self.nights.tree / name
        if not any(parent.is_file() for parent in path.parents) and not path.is_dir():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(bytes([seed]) * size)

    @rule(name=NAMES, other=NAMES)
    def move(self, name: Any, other: Any) -> None:
        one, two = self.nights.tree / name, self.nights.tree / other
        if one.is_file() and not two.exists() and not any(p.is_file() for p in two.parents):
            two.parent.mkdir(parents=True, exist_ok=True)
            os.rename(one, two)

    @rule(name=NAMES)
    def remove(self, name: Any) -> None:
        path = self.nights.tree / name
        if path.is_file():
            path.unlink()

    def in_a_process(self, cut: Any, work: Any) -> Any:
        """Work in a separate process, which ends at the power cut; return its messages."""
        reading, writing = os.pipe()
        child = os.fork()
        if not child:
            Power.left = -1 if cut is None else cut
            try:
                with os.fdopen(writing, "w") as sink:
                    json.dump(work(), sink)
            except FasciculusError:
                os._exit(8)
            finally:
                os._exit(0)
        os.close(writing)
        with os.fdopen(reading) as source:
            told = source.read()
        code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
        assert code in (0, 8 if self.flipped else 0) or cut is not None, code
        return json.loads(told) if told else None

    @rule(
        incremental=st.booleans(),
        keep=st.integers(1, 4),
        cut=st.one_of(st.none(), st.integers(0, 14)),
    )
    def night(self, incremental: Any, keep: Any, cut: Any) -> None:
        before = self.nights.present()

        def work() -> Any:
            self.nights.night(incremental, keep=keep, damaged=sorted(self.flipped))
            return [self.nights.known[-1], self.nights.manifests[self.nights.known[-1]]]

        told = self.in_a_process(cut, work)
        if told:
            name, manifest = told
            self.nights.manifests[name] = manifest
            self.nights.known.append(name)
        present = self.nights.present()
        for name in present:
            # Also one that became complete just before the power was cut.
            if name not in before:
                self.nights.images[name] = picture(self.nights.tree)
        self.nights.known = [name for name in self.nights.known if name in present]

    @rule(cut=st.one_of(st.none(), st.integers(0, 14)))
    def repack(self, cut: Any) -> None:
        def work() -> Any:
            self.nights.repack(0.01)
            return self.nights.manifests

        told = self.in_a_process(cut, work)
        if told:
            self.nights.manifests = told
        else:
            # What the records know is of the state before: the next bundle is a full one, unless it
            # is so still.
            self.nights.known = []

    @rule(which=st.integers(0, 50), where=st.integers(0, 10_000))
    def flip(self, which: Any, where: Any) -> None:
        pieces = sorted((self.nights.root / "attic/accounts/millpond/pieces").glob("*.zst"))
        if pieces and len(self.flipped) < 2:
            path = pieces[which % len(pieces)]
            data = bytearray(path.read_bytes())
            data[where % len(data)] ^= 1
            path.write_bytes(data)
            self.flipped.add(path.name)

    @invariant()
    def complete_bundles_restore_exactly(self) -> None:
        if not hasattr(self, "nights"):
            return
        store = open_store(self.nights.spec)
        damage, _ = self.nights.verify(deep=True, names=self.nights.present())
        # Sums not rewritten by an interrupted repacking are those of the previous state.
        told = {
            name
            for file, found in damage.items()
            if not file.endswith("SHA256SUMS")
            for name in found.bundles
        }
        for name in self.nights.present():
            needs = pieces_needed(store, SUBJECT, [name])
            try:
                found = self.nights.restored(name)
            except NotAll as partly:
                assert needs & self.flipped and name in told, (
                    "damage must be reported, and only where it is"
                )
                assert all(
                    self.nights.images[name][path] == row for path, row in partly.found.items()
                )
                continue
            assert name not in told or needs & self.flipped
            assert found == self.nights.images[name]

    @rule()
    def next_pass_leaves_no_orphan(self) -> None:
        store = open_store(self.nights.spec)
        sweep(store, SUBJECT)
        held = {item.name for item in store.items(SUBJECT.pieces)}
        assert held == pieces_needed(store, SUBJECT, self.nights.present())


TestStore = Store.TestCase
TestStore.settings = settings(
    max_examples=12, stateful_step_count=20, deadline=None, suppress_health_check=list(HealthCheck)
)


def test_over_ssh_a_change_that_keeps_size_and_time_is_never_missed(
    nights: Nights, openssh: Any, tmp_path: Path
) -> None:
    """A customer may set a file's time as he likes; ctime and inode he may not."""
    page, other = nights.tree / "site-1/page-1.html", nights.tree / "site-1/page-2.html"
    host = SshHost(openssh.host(), tmp_path)
    settle = nights.tree / "settle"

    def night() -> dict[Any, Any]:
        # Files changed in the last second are not trusted.
        settle.touch()
        until(lambda: time.time_ns() - settle.stat().st_ctime_ns > 2_100_000_000)
        return nights.night(host=host)

    for path in (page, other):
        path.write_bytes(b"before" * 100)
        os.utime(path, ns=(1, 1_700_000_000_123_456_789))
    night()
    page.write_bytes(b"AFTER!" * 100)
    os.utime(page, ns=(1, 1_700_000_000_123_456_789))
    exchanged = nights.tree / "site-1/new"
    exchanged.write_bytes(b"AFTER?" * 100)
    os.utime(exchanged, ns=(1, 1_700_000_000_123_456_789))
    exchanged.rename(other)
    night()
    assert nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]
    assert (
        nights.restored(nights.known[-1])[b"site-1/page-1.html"][5]
        == (nights.images[nights.known[-1]][b"site-1/page-1.html"][5])
    )
    host.close()


def test_over_ssh_only_what_changed_is_sent(
    nights: Nights, openssh: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    host = SshHost(openssh.host(), tmp_path)
    site, sent = nights.tree / "site-1", []
    taken: Any = TarReader.take
    monkeypatch.setattr(TarReader, "take", lambda self, e: sent.append(e.path) or taken(self, e))
    settle = nights.tree / "settle"
    for number in (1, 2, 3):
        (site / f"page-{number}.html").write_text(f"page {number}")
    for path in (site / "page-1.html", site, nights.tree):
        os.setxattr(path, "user.note", b"clay")
    (site / "link").symlink_to("page-1.html")
    os.mkfifo(site / "pipe")

    def night() -> set[bytes]:
        sent.clear()
        # Files changed in the last second are not trusted.
        settle.touch()
        until(lambda: time.time_ns() - settle.stat().st_ctime_ns > 2_100_000_000)
        nights.night(host=host)
        return set(sent)

    # What has several names is sent each night.
    linked = {b"picture.bin"}
    everything = night()
    assert everything >= {b"", b"settle", b"site-1/page-1.html", b"site-1/pipe", *linked}
    assert night() == {b"settle", *linked}
    os.setxattr(site / "page-1.html", "user.note", b"glaze")
    (site / "page-3.html").chmod(0o600)
    (site / "link").unlink()
    (site / "link").symlink_to("page-3.html")
    os.setxattr(site, "user.note", b"kiln")
    changed = {b"site-1", b"site-1/page-1.html", b"site-1/page-3.html", b"site-1/link"}
    assert night() == {b"settle", *linked, *changed}
    for name in nights.known:
        assert nights.restored(name) == nights.images[name]
    nights.night(host=host, compare=True)
    assert set(sent) >= everything, "contents are compared"
    host.close()


def test_where_only_size_and_time_are_told_contents_are_compared_now_and_then(
    nights: Nights, bare_openssh: Any, tmp_path: Path
) -> None:
    page = nights.tree / "site-1/page-1.html"
    page.write_bytes(b"before" * 100)
    os.utime(page, ns=(1, 1_700_000_000_000_000_000))
    host = SshHost(bare_openssh.host(), tmp_path, unsafe_reading=True)
    nights.night(host=host)
    page.write_bytes(b"AFTER!" * 100)
    os.utime(page, ns=(1, 1_700_000_000_000_000_000))

    def bytes_of(name: str) -> tuple[Any, ...]:
        return nights.restored(name)[b"site-1/page-1.html"]

    nights.night(host=host)
    assert bytes_of(nights.known[-1]) == bytes_of(nights.known[0]), "the docs say what that means"
    nights.night(host=host, compare_by_sftp=True)
    assert bytes_of(nights.known[-1]) != bytes_of(nights.known[0])
    host.close()
