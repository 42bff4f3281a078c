"""Incremental bundles: what changed and no more, always complete, whatever happens in between."""

import io
import json
import os
import shutil
import sqlite3
import subprocess
import threading
from contextlib import closing
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, rule
from running import picture

from fasciculus.core.bundling.names import SubjectRef
from fasciculus.core.errors import Damaged, Trouble
from fasciculus.reach.local import LocalReach
from fasciculus.stores import open_store
from fasciculus.stores.base import StoreSpec, mark
from fasciculus.work.bundle import BundleWork
from fasciculus.work.events import Emitter
from fasciculus.work.order import BundleOrder, RestoreOrder
from fasciculus.work.restore import RestoreWork
from fasciculus.work.retiring import complete, needed_pieces, sweep

MIB = 1024 * 1024
SUBJECT = SubjectRef("account", "millpond")


class Nights:
    """Bundles of one tree to a folder store, made in this process, night after night."""

    def __init__(self, root: Path) -> None:
        self.root, self.tree = root, root / "tree"
        self.tree.mkdir(parents=True)
        (root / "store").mkdir()
        self.spec = StoreSpec("attic", "folder", {"path": str(root / "store")})
        mark(open_store(self.spec), "s")
        self.known: list[str] = []
        self.manifests: dict[str, dict] = {}
        self.images: dict[str, dict] = {}
        self.number = 0
        self.events: list[dict] = []

    def order(self, incremental: bool = True, keep: int = 1000, **more) -> BundleOrder:
        self.number += 1
        previous = None
        if incremental and self.known:
            name = self.known[-1]
            found = self.manifests[name]
            previous = {
                "name": name,
                "base": found["base"],
                "listing": str(self.root / f"{name}.zst"),
                "pieces": found["pieces"],
            }
        return BundleOrder.model_validate(
            {
                "run": self.number,
                "job": "nightly",
                "subject": {"kind": "account", "name": "millpond", "host": "reed-1", "root": str(self.tree)},
                "contents": ["files"],
                "stores": [
                    {"name": "attic", "kind": "folder", "settings": self.spec.settings, "store_id": "s", "known": self.known}
                ],
                "keep": keep,
                "piece_size": 2 * MIB,
                "spool": str(self.root / "spool"),
                "spool_limit": 1 << 30,
                "listing": str(self.root / "listing.zst"),
                "writer": "tests",
                "previous": previous,
                **more,
            }
        )

    def night(self, incremental: bool = True, reach=None, **more) -> dict:
        raw = io.BytesIO()
        order = self.order(incremental, **more)
        # Two nights in one second still get two names.
        work = BundleWork(order, reach or LocalReach(), Emitter(raw), threading.Event())
        finished = work.run()
        self.events = [json.loads(line) for line in raw.getvalue().splitlines()]
        os.rename(self.root / "listing.zst", self.root / f"{finished.bundle}.zst")
        self.manifests[finished.bundle] = finished.manifest
        self.known = [name for name in [*self.known, finished.bundle] if name in self.present()]
        self.images[finished.bundle] = picture(self.tree)
        return finished.manifest

    def present(self) -> list[str]:
        return complete(open_store(self.spec), SUBJECT)

    def brought(self) -> int:
        pieces = self.manifests[self.known[-1]]["pieces"]
        return sum(piece["bytes"] for piece in pieces if piece["brought"])

    def restored(self, name: str) -> dict:
        target = self.root / "back"
        shutil.rmtree(target, ignore_errors=True)
        order = RestoreOrder.model_validate(
            {
                "subject": {"kind": "account", "name": "millpond", "host": "reed-1", "root": ""},
                "bundle": name,
                "store": {"name": "attic", "kind": "folder", "settings": self.spec.settings, "store_id": "s"},
                "target": str(target),
                "spool": str(self.root / "spool2"),
            }
        )
        RestoreWork(order, LocalReach(), Emitter(io.BytesIO())).run()
        return picture(target / "files")


@pytest.fixture
def nights(tmp_path):
    found = Nights(tmp_path / "n")
    for number in range(60):
        folder = found.tree / f"site-{number % 4}"
        folder.mkdir(exist_ok=True)
        (folder / f"page-{number}.html").write_bytes(os.urandom(4000))
    (found.tree / "film.bin").write_bytes(os.urandom(3 * MIB))
    (found.tree / "picture.bin").write_bytes(os.urandom(int(1.4 * MIB)))
    os.link(found.tree / "picture.bin", found.tree / "zz-same.bin")
    (found.tree / "link").symlink_to("film.bin")
    return found


def test_a_night_stores_what_changed_and_shows_everything(nights):
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
    assert 8000 < nights.brought() < 8000 + 3 * 1024, "moved, copied and touched files are not stored again"
    for name in nights.known:
        assert nights.restored(name) == nights.images[name]
    assert nights.night(incremental=False)["brings"] == "full" and nights.brought() > first
    nights.night()
    assert nights.brought() == 0 and nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]


@pytest.mark.parametrize("rows", [200, 20_000])
def test_an_sqlite_database_that_did_not_change_is_not_stored_again(nights, rows):
    databases = [{"engine": "sqlite", "name": "site", "path": "site.sqlite"}]
    more = {"contents": ["files", "databases"], "databases": databases}
    with closing(sqlite3.connect(nights.tree / "site.sqlite")) as db:
        db.execute("CREATE TABLE page (id INTEGER PRIMARY KEY, body TEXT)")
        db.executemany("INSERT INTO page (body) VALUES (?)", [(f"page {n} " * 8,) for n in range(rows)])
        db.commit()
        nights.night(**more)
        nights.night(**more)
        assert nights.brought() == 0
        db.execute("UPDATE page SET body='edited' WHERE id=1")
        db.commit()
        nights.night(**more)
        assert nights.brought() > 0


def test_comparing_contents_finds_what_kept_its_size_and_time(nights):
    nights.night()
    path = nights.tree / "site-1/page-1.html"
    info = path.stat()

    class Forged(LocalReach):
        """A host on which a file's state is as it was, though its contents are not."""

        def tree(self, root, chosen, warn):
            for found in super().tree(root, chosen, warn):
                if found.entry.path == b"site-1/page-1.html":
                    found.entry.ctime_ns, found.entry.inode = listed["ctime_ns"], listed["inode"]
                yield found

    text = subprocess.run(["zstd", "-dc", nights.root / f"{nights.known[-1]}.zst"], check=True, capture_output=True)
    listed = next(r for r in map(json.loads, text.stdout.splitlines()) if r["path"] == "site-1/page-1.html")
    path.write_bytes(os.urandom(4000))
    os.utime(path, ns=(info.st_mtime_ns, info.st_mtime_ns))
    nights.night(reach=Forged())
    assert nights.brought() == 0
    nights.night(reach=Forged(), compare=True)
    assert 4000 < nights.brought() < 6000
    assert nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]


def test_what_lies_in_a_damaged_piece_is_stored_again(nights):
    nights.night()
    piece = max(nights.manifests[nights.known[0]]["pieces"], key=lambda p: p["bytes"])["name"]
    path = nights.root / "store/accounts/millpond/pieces" / piece
    data = bytearray(path.read_bytes())
    data[len(data) // 2] ^= 1
    path.write_bytes(data)
    with pytest.raises(Damaged):
        nights.restored(nights.known[0])
    nights.night(damaged=[piece])
    assert nights.brought() > 0
    assert piece not in [p["name"] for p in nights.manifests[nights.known[-1]]["pieces"]]
    assert nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]


def test_a_store_that_lacks_the_bundle_before_gets_a_full_one(nights):
    nights.night()
    nights.night()
    piece = nights.manifests[nights.known[-1]]["pieces"][0]["name"]
    os.unlink(nights.root / "store/accounts/millpond/pieces" / piece)
    assert nights.night()["brings"] == "full"
    assert "this bundle is a full one" in " ".join(e.get("text", "") for e in nights.events)
    assert nights.restored(nights.known[-1]) == nights.images[nights.known[-1]]


def test_fourteen_nights_of_one_percent_churn(nights):
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
    stored = sum(p.stat().st_size for p in (nights.root / "store").rglob("*") if p.is_file())
    assert stored <= 1.15 * (first + changed)


class Power:
    """Is cut before the n-th write to the store, without any clearing up."""

    left = -1

    @classmethod
    def before_write(cls) -> None:
        if cls.left >= 0:
            cls.left -= 1
            if cls.left < 0:
                os._exit(9)


@pytest.fixture(scope="module", autouse=True)
def writes_can_be_cut():
    from fasciculus.stores import folder

    kept = {name: getattr(folder.FolderStore, name) for name in ("put", "put_bytes", "remove", "remove_folder")}

    def cut(original):
        def method(self, *values):
            Power.before_write()
            return original(self, *values)

        return method

    for name, original in kept.items():
        setattr(folder.FolderStore, name, cut(original))
    yield
    for name, original in kept.items():
        setattr(folder.FolderStore, name, original)


NAMES = st.sampled_from(["a", "b", "c", "d/e", "d/f", "d/g/h", "i"])


class Store(RuleBasedStateMachine):
    """Random edits, nights, retiring and power cuts: what counts as complete always restores exactly."""

    @initialize()
    def begin(self):
        import tempfile

        self.folder = tempfile.TemporaryDirectory()
        self.nights = Nights(Path(self.folder.name) / "n")
        self.flipped: set[str] = set()

    def teardown(self):
        if hasattr(self, "folder"):
            self.folder.cleanup()

    @rule(name=NAMES, size=st.integers(0, 9000), seed=st.integers(0, 3))
    def write(self, name, size, seed):
        path = self.nights.tree / name
        if not any(parent.is_file() for parent in path.parents) and not path.is_dir():
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(bytes([seed]) * size)

    @rule(name=NAMES, other=NAMES)
    def move(self, name, other):
        one, two = self.nights.tree / name, self.nights.tree / other
        if one.is_file() and not two.exists() and not any(p.is_file() for p in two.parents):
            two.parent.mkdir(parents=True, exist_ok=True)
            os.rename(one, two)

    @rule(name=NAMES)
    def remove(self, name):
        path = self.nights.tree / name
        if path.is_file():
            path.unlink()

    @rule(incremental=st.booleans(), keep=st.integers(1, 4), cut=st.one_of(st.none(), st.integers(0, 14)))
    def night(self, incremental, keep, cut):
        # In a process of its own, which ends where the power is cut.
        before = self.nights.present()
        reading, writing = os.pipe()
        child = os.fork()
        if not child:
            Power.left = -1 if cut is None else cut
            try:
                self.nights.night(incremental, keep=keep, damaged=sorted(self.flipped))
                with os.fdopen(writing, "w") as sink:
                    name = self.nights.known[-1]
                    json.dump([name, self.nights.manifests[name]], sink)
            except Trouble:
                os._exit(8)
            finally:
                os._exit(0)
        os.close(writing)
        with os.fdopen(reading) as source:
            told = source.read()
        code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
        assert code == 0 or cut is not None, code
        if told:
            name, manifest = json.loads(told)
            self.nights.manifests[name] = manifest
            self.nights.known.append(name)
        present = self.nights.present()
        for name in present:
            # Also one that became complete just before the power was cut.
            if name not in before:
                self.nights.images[name] = picture(self.nights.tree)
        self.nights.known = [name for name in self.nights.known if name in present]

    @rule(which=st.integers(0, 50), where=st.integers(0, 10_000))
    def flip(self, which, where):
        pieces = sorted((self.nights.root / "store/accounts/millpond/pieces").glob("*.zst"))
        if pieces and len(self.flipped) < 2:
            path = pieces[which % len(pieces)]
            data = bytearray(path.read_bytes())
            data[where % len(data)] ^= 1
            path.write_bytes(data)
            self.flipped.add(path.name)

    @invariant()
    def complete_bundles_restore_exactly(self):
        if not hasattr(self, "nights"):
            return
        store = open_store(self.nights.spec)
        for name in self.nights.present():
            needs = needed_pieces(store, SUBJECT, [name])
            try:
                found = self.nights.restored(name)
            except Damaged:
                assert needs & self.flipped, "nothing was damaged that it needs"
                continue
            assert found == self.nights.images[name]

    @rule()
    def next_pass_leaves_no_orphan(self):
        store = open_store(self.nights.spec)
        sweep(store, SUBJECT)
        held = {item.name for item in store.items(SUBJECT.pieces)}
        assert held == needed_pieces(store, SUBJECT, self.nights.present())


TestStore = Store.TestCase
TestStore.settings = settings(
    max_examples=15, stateful_step_count=20, deadline=None, suppress_health_check=list(HealthCheck)
)

