"""A store that hands back whatever it likes: each field of each file of a bundle, changed.

Inconsistent data affects at most its own entry; paths that lead out lead nowhere; and with records
nothing altered is restored as if it were right.
"""

from __future__ import annotations

import hashlib
import io
import json
import pickle
import shutil
import stat
import subprocess
import sys
import tarfile
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec
import orjson
import pytest
import zstandard
from copies import unrecorded
from nights import KEY, SUBJECT, Nights, made
from trees import picture

from fasciculus.bundles.archives import archive_format
from fasciculus.bundles.files import fetch_listing
from fasciculus.bundles.tar_export import ExportSelection
from fasciculus.contracts.orders import RestoreOrder, StoreOrder, TransferOrder, VerifyOrder
from fasciculus.core.bundle.manifest import PieceRecord, sums
from fasciculus.core.errors import FasciculusError
from fasciculus.hosts.local import LocalHost
from fasciculus.service.stores.store_work import remove_copies, sweep_pieces
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import connected
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.maintenance.transfer import TransferTask
from fasciculus.worker.maintenance.verify import VerifyTask
from fasciculus.worker.restore.task import RestoreTask

MIB = 1024 * 1024


class Tampered:
    """One honest bundle, and its files on the store to be changed."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self.nights = Nights(root)
        (root / "tree/site").mkdir(parents=True, exist_ok=True)
        (root / "tree/site/index.html").write_text("<p>Opening hours of the pottery</p>")
        (root / "tree/site/logo.bin").write_bytes(bytes(range(256)) * 40)
        (root / "tree/current").symlink_to("site")
        (root / "outside").mkdir()
        (root / "outside/secret").write_text("of another user")
        self.nights.night()
        (self.name,) = self.nights.known
        self.image = picture(root / "tree")
        self.folder = root / "attic" / SUBJECT.bundle(self.name)
        self.pieces = root / "attic" / SUBJECT.pieces

    def document(self) -> dict:
        return json.loads((self.folder / "bundle.json").read_text())

    def lines(self) -> list[dict]:
        packed = (self.folder / "listing.jsonl.zst").read_bytes()
        lines = zstandard.ZstdDecompressor().decompressobj().decompress(packed)
        return [json.loads(line) for line in lines.splitlines()]

    def put_listing(
        self, text: bytes, pack: Any = zstandard.ZstdCompressor(level=3).compress
    ) -> None:
        """A listing, and a manifest and sums that agree with it."""
        packed = pack(text)
        document = self.document()
        digest = hashlib.sha256(packed).hexdigest()
        document["listing"].update(sha256=digest, bytes=len(packed))
        pieces = msgspec.convert(document["pieces"], list[PieceRecord])
        self.put("listing.jsonl.zst", packed)
        self.put("SHA256SUMS", sums(digest, pieces))
        self.put("bundle.json", json.dumps(document).encode())

    def put(self, file: str, data: bytes) -> None:
        """A new file: the one next to the records may be the same."""
        (self.folder / file).unlink()
        (self.folder / file).write_bytes(data)

    def put_piece(self, data: bytes) -> None:
        (piece,) = self.pieces.iterdir()
        piece.unlink()
        piece.write_bytes(data)

    def restore(self, vouched: bool) -> Any:
        """The outcome of a restore, or "refused"."""
        shutil.rmtree(self.root / "back", ignore_errors=True)
        store = self.nights.store_order("attic")
        if not vouched:
            store["recorded"] = []
        values = {
            "subject": {"kind": "account", "name": "millpond", "host": "", "root": ""},
            "bundle": self.name,
            "store": store,
            "target": str(self.root / "back"),
            "spool": str(self.root / "spool"),
        }
        order = made(RestoreOrder, values)
        sink = Emitter(io.BytesIO())
        try:
            return RestoreTask(order, LocalHost(), sink, threading.Event()).run().outcome
        except FasciculusError:
            return "refused"

    def verify(self) -> str:
        store = self.nights.store_order("attic")
        values = {
            "subject": {"kind": "account", "name": "millpond", "host": "", "root": ""},
            "store": store,
            "bundles": store["recorded"],
            "spool": str(self.root / "spool"),
            "deep": True,
        }
        order = made(VerifyOrder, values)
        return VerifyTask(order, Emitter(io.BytesIO()), threading.Event()).run().outcome

    def downloaded(self) -> list[str]:
        """The names in an archive of an unvouched bundle; none if it is refused."""
        order = made(StoreOrder, self.nights.store_order("attic"))
        listing, spool = self.root / "downloaded.zst", self.root / "spool"
        spool.mkdir(exist_ok=True)
        with connected(open_store(order.spec())) as store:
            try:
                manifest = unrecorded(SUBJECT).manifest(store, self.name)
                fetch_listing(store, SUBJECT, manifest, listing)
                wanted = ExportSelection(store, SUBJECT, listing, [], [], spool)
                packed = b"".join(archive_format("tar.gz").make(wanted))
                with tarfile.open(fileobj=io.BytesIO(packed)) as archive:
                    return archive.getnames()
            except FasciculusError:
                return []

    def moved(self) -> list[Path]:
        """The contents of another store after moving the bundle there."""
        sources = [self.nights.store_order("attic")]
        more = {"sources": sources, "move": True}
        self.nights.maintenance(TransferOrder, TransferTask, "loft", **more)
        return [path for path in (self.root / "loft").rglob("*") if path.is_file()]

    def removed(self) -> None:
        """Remove the bundle from its store, as for a deleted account."""
        order = made(StoreOrder, self.nights.store_order("attic"))
        remove_copies(lambda name: None, order, SUBJECT, [self.name])
        order.recorded = []
        sweep_pieces(order, SUBJECT)


@pytest.fixture(scope="module")
def honest(tmp_path_factory: Any) -> Any:
    found = Tampered(tmp_path_factory.mktemp("honest"))
    (found.root / "loft").mkdir()
    found.nights.add_store(
        store_spec("loft", {"kind": "folder", "folder": str(found.root / "loft")})
    )
    shutil.copytree(found.root / "loft", found.root / "kept-loft")
    shutil.copytree(found.root / "attic", found.root / "kept", symlinks=True)
    return found


@pytest.fixture
def tampered(honest: Any) -> Iterator[Any]:
    """The stored bundle."""
    shutil.rmtree(honest.root / "attic")
    shutil.copytree(honest.root / "kept", honest.root / "attic", symlinks=True)
    shutil.rmtree(honest.root / "loft")
    shutil.copytree(honest.root / "kept-loft", honest.root / "loft")
    yield honest
    assert picture(honest.root / "tree") == honest.image
    assert [path.name for path in (honest.root / "outside").iterdir()] == ["secret"]
    assert (honest.root / "outside/secret").read_text() == "of another user"
    assert not (honest.root / "outside/secret").stat().st_nlink > 1
    assert not (honest.root.parent / "evil").exists() and not (honest.root / "evil").exists()


def check(tampered: Tampered) -> None:
    """Any alteration is found, or stays without effect."""
    tampered.restore(vouched=False)
    back = tampered.root / "back"
    if back.exists():
        assert all(path.name in ("files", "evil-kind") for path in back.iterdir())
        assert not any(
            path.lstat().st_mode & (stat.S_ISUID | stat.S_ISGID)
            for path in back.rglob("*")
            if path.is_file() and not path.is_symlink()
        )
    outcome = tampered.restore(vouched=True)
    if outcome in ("done", "warned"):
        assert picture(back / "files") == tampered.image, "it is right, or it is not done"
    assert tampered.verify() == "warned", "and verifying names it"
    names = tampered.downloaded()
    assert not any(name.startswith("/") or ".." in name.split("/") for name in names), names
    there = tampered.moved()
    own = tampered.root / "loft" / SUBJECT.folder
    assert all(
        path.is_relative_to(own) or path.name == "fasciculus-store.json" for path in there
    ), there
    if any(path.name == "bundle.json" for path in there):
        shutil.rmtree(back, ignore_errors=True)
        assert tampered.nights.restored(tampered.name, "loft") == tampered.image
    tampered.removed()
    assert not list((tampered.root / "attic").rglob("bundle.json"))


def test_the_honest_bundle_is_whole(tampered: Any) -> None:
    assert tampered.restore(vouched=True) == tampered.restore(vouched=False) == "done"
    assert picture(tampered.root / "back/files") == tampered.image
    assert tampered.verify() == "done"


# Lines of the listing -----------------------------------------------------------------


PAGE = 2  # files: the root, current, site, index.html, logo.bin
LINES = [
    *({"path": path} for path in (
        "../evil", "../../outside/secret", "/etc/evil", "a/../../evil", "a//b", "./a", ".", "..",
        "site/..", "site/\0", "x" * 300, "/".join(["d" * 200] * 15), "current/evil", "",
    )),
    {"path": None, "path_base64": "Li4vZXZpbA=="},
    {"path": None, "path_base64": "no base64"},
    {"path": None},
    *({"link": link} for link in (
        "../../outside/secret", "/etc/passwd", "current", "current/secret", "nowhere", "", ".",
        "site", "site/../../../outside/secret",
    )),
    *({"origin": origin} for origin in ("../../outside/secret", "/etc/passwd", "")),
    *({"kind": kind} for kind in ("evil-kind", "../files", "", None, 7)),
    *({"kind": "databases", "origin": origin} for origin in ("../x", "current/evil", "site")),
    *({"type": kind} for kind in ("socket", "dir", "symlink", "fifo", "char", "block", "", None)),
    *({"size": size} for size in (-1, 0, 1, 2**63, 2**70, "35", 1.5, None)),
    *({"mode": mode} for mode in ("6755", "99", "-1", "0o644", "77777777", "", 420, None)),
    *({"uid": uid} for uid in (-1, 2**32, 2**70, "root", None)),
    *({"mtime_ns": ns} for ns in (2**63, 2**70, -(2**70), 1.5, "now", None)),
    *({"blake3": digest} for digest in ("", "00" * 32, "AB" * 32, "short", None)),
    *({"at": at} for at in (
        [], [["gone.files-0001.tar.zst", 0, 0, 0, 35]], [["../../outside/secret", 0, 0, 0, 35]],
        [["", 0, 0, 0, 35]], [["evil.rar", 0, 9, 0, 35]], [[1, 2, 3, 4, 5]], [["p"]], "at", None,
    )),
    *({"at": [[None, *place]], "size": place[3]} for place in (
        (1, 0, 0, 35), (2**40, 0, 0, 35), (0, 1, 0, 35), (0, 2**50, 0, 35), (0, 0, 2**50, 35),
        (0, 0, 0, 2**50), (-1, 0, 0, 35), (0, 0, 1, 35), (0, 0, 1536, 34),
    )),
    *({"xattrs": xattrs} for xattrs in (
        {"user.note": "no base64"}, {"security.capability": "AQAAAg=="}, {"trusted.x": "AQ=="},
        {"": "AQ=="}, {"user." + "x" * 300: "AQ=="}, {"user.\0": "AQ=="}, {"nonsense": "AQ=="}, [],
    )),
    *({"type": "char", "rdev": rdev} for rdev in ([1, 3], [2**32, 0], [-1, 0], [1], "1:3")),
    *({"type": "symlink", "target": target} for target in ("", "x" * 5000, "a\0b", None)),
]  # fmt: skip


@pytest.mark.parametrize("change", LINES, ids=lambda change: repr(change)[:50])
def test_a_line_of_the_listing(tampered: Any, change: Any) -> None:
    rows = tampered.lines()
    index = next(row for row in rows if row.get("path") == "site/index.html")
    at = index["at"][0]
    index.update(change)
    for part in index.get("at") or ():
        if isinstance(part, list) and part[0] is None:
            part[0] = at[0]
    for key in [key for key, value in change.items() if value is None]:
        del index[key]
    tampered.put_listing(b"".join(orjson_line(row) for row in rows))
    check(tampered)


def orjson_line(row: dict) -> bytes:
    """Numbers beyond 64 bits and NUL are written too."""
    try:
        return orjson.dumps(row) + b"\n"
    except TypeError:
        return json.dumps(row).encode() + b"\n"


@pytest.mark.parametrize(
    "change",
    [
        lambda text: text.replace(b'"path":"site"', b'"path":"current"'),
        lambda text: text + text,
        lambda text: b"\n" + text,
        lambda text: text.rstrip(b"\n"),
        lambda text: text.replace(b"\n", b""),
        lambda text: text.replace(b"{", b"[", 1),
        lambda text: b"\xef\xbb\xbf" + text,
        lambda text: text.replace(b"pottery", b"\xff"),
        lambda text: text + b"[" * 100_000 + b"\n",
        lambda text: text + b'{"kind":"files","path":"' + b"x" * (5 * MIB) + b'"}\n',
        lambda text: text + b'{"a":' * 5000 + b"1" + b"}" * 5000 + b"\n",
        lambda text: b"".join(sorted(text.splitlines(keepends=True), reverse=True)),
        lambda text: b"",
    ],
)
def test_the_text_of_the_listing(tampered: Any, change: Any) -> None:
    before = b"".join(orjson_line(row) for row in tampered.lines())
    tampered.put_listing(change(before))
    check(tampered)


@pytest.mark.parametrize(
    "change",
    [
        lambda packed: packed[:-1],
        lambda packed: packed[: len(packed) // 2],
        lambda packed: packed + b"more",
        lambda packed: packed + packed,
        lambda packed: b"\0" * len(packed),
        lambda packed: b"",
    ],
)
def test_the_bytes_of_the_listing(tampered: Any, change: Any) -> None:
    text = b"".join(orjson_line(row) for row in tampered.lines())
    tampered.put_listing(text, lambda t: change(zstandard.ZstdCompressor().compress(t)))
    check(tampered)


# The manifest -------------------------------------------------------------------------


@pytest.mark.parametrize(
    "change",
    [
        {"name": "2026-01-01T000000Z-nightly"},
        {"name": "../evil"},
        {"subject": {"kind": "account", "name": "ferryline"}},
        {"subject": {"kind": "site", "name": "millpond"}},
        {"subject": "millpond"},
        {"listing": {"name": "../../../../outside/secret", "bytes": 16, "sha256": "0" * 64}},
        {"listing": {"name": "bundle.json", "bytes": 16, "sha256": "0" * 64}},
        {"listing": {"name": "listing.jsonl.zst", "bytes": 2**70, "sha256": "0" * 64}},
        {"pieces": []},
        {"pieces": [{"name": "../../outside/secret", "bytes": 16, "sha256": "0" * 64}]},
        {"pieces": [{"name": "-rf", "bytes": 16, "sha256": "0" * 64}]},
        {"pieces": [{"name": "x\ny", "bytes": 16, "sha256": "0" * 64}]},
        {"databases": [{"engine": "mariadb", "name": "shop", "folder": "../../etc"}]},
        {"databases": {}},
        {"contents": {"files": {"entries": 10**30, "bytes": 0, "unreadable": []}}},
        {"warnings": [1]},
        {"version": 2},
        {"version": -1.5},
        {"format": "another"},
        {"compression": "rar"},
        {"more": [[[[[]]]]]},
    ],
    ids=repr,
)
def test_a_field_of_the_manifest(tampered: Any, change: Any) -> None:
    tampered.put("bundle.json", json.dumps({**tampered.document(), **change}).encode())
    check(tampered)


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"null",
        b"[" * 200_000,
        b'{"a":' * 100_000,
        b"\xff\xfe",
        b"{" + b" " * (9 * MIB) + b"}",
        b'{"format": "fasciculus-bundle", "version": 1e400}',
        b'{"format": "fasciculus-bundle", "version": 1, "version": 2}',
    ],
    ids=lambda data: repr(data[:20]),
)
def test_a_manifest_that_is_none(tampered: Any, data: Any) -> None:
    tampered.put("bundle.json", data)
    check(tampered)


# Pieces -------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "change",
    [
        lambda piece: piece[:-1],
        lambda piece: piece[: len(piece) // 2],
        lambda piece: piece + b"more",
        lambda piece: piece[:200] + bytes([piece[200] ^ 4]) + piece[201:],
        lambda piece: bytes(len(piece)),
        lambda piece: b"",
        lambda piece: zstandard.ZstdCompressor().compress(b"another tar"),
        lambda piece: zstandard.ZstdCompressor(level=19).compress(bytes(300 * MIB)),
    ],
)
def test_a_piece(tampered: Any, change: Any) -> None:
    (piece,) = tampered.pieces.iterdir()
    tampered.put_piece(change(piece.read_bytes()))
    check(tampered)


def test_a_link_where_a_file_should_be_is_not_followed_out_of_the_store(tampered: Any) -> None:
    """The store itself may be a folder in which another user can write."""
    (piece,) = tampered.pieces.iterdir()
    piece.unlink()
    piece.symlink_to(tampered.root / "outside/secret")
    check(tampered)


# Memory ---------------------------------------------------------------------------------

RESTORE_ALONE = """
import io, pickle, sys, threading
from fasciculus.hosts.local import LocalHost
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.restore.task import RestoreTask
from fasciculus.core.errors import FasciculusError
try:
    RestoreTask(pickle.load(sys.stdin.buffer), LocalHost(), Emitter(io.BytesIO()),
                threading.Event()).run()
except FasciculusError as error:
    print(error)
# Its own: the most that the system counts for a child begins with what its parent had.
(own,) = [line for line in open("/proc/self/status") if line.startswith("VmHWM")]
print(int(own.split()[1]) // 1024)
"""


def bomb_of_lines(tampered: Any) -> None:
    pack = zstandard.ZstdCompressor(level=3, threads=0).compress
    tampered.put_listing(bytes(1024 * MIB), pack)


def many_folders(tampered: Any) -> None:
    row = next(row for row in tampered.lines() if row["path"] == "site")
    sample = orjson_line({**row, "path": "f%07d", "xattrs": {"user.x": "QUFB" * 10_000}})
    tampered.put_listing(b"".join(sample % number for number in range(1_000)))


def frame_bomb(tampered: Any) -> None:
    tampered.put_piece(zstandard.ZstdCompressor(level=3).compress(bytes(2048 * MIB)))


def endless_manifest(tampered: Any) -> None:
    document = json.dumps(tampered.document())[:-1]
    tampered.put("bundle.json", (document + ', "x": [' + "{}," * 3 * MIB + "{}]}").encode())


def many_warnings(tampered: Any) -> None:
    document = {**tampered.document(), "warnings": ["a"] * (MIB * 3 // 2)}
    tampered.put("bundle.json", json.dumps(document, separators=(",", ":")).encode())


@pytest.mark.parametrize(
    ("make", "mib"),
    [
        (bomb_of_lines, 200),
        (many_folders, 110),
        (frame_bomb, 200),
        (endless_manifest, 200),
        (many_warnings, 300),
    ],
)
def test_nothing_takes_a_worker_more_than_its_memory(tampered: Any, make: Any, mib: int) -> None:
    make(tampered)
    store = {**tampered.nights.store_order("attic"), "recorded": [], "signing_key": KEY}
    values = {
        "order": "restore",
        "subject": {"kind": "account", "name": "millpond", "host": "", "root": ""},
        "bundle": tampered.name,
        "store": store,
        "target": str(tampered.root / "back"),
        "spool": str(tampered.root / "spool"),
    }
    shutil.rmtree(tampered.root / "back", ignore_errors=True)
    done = subprocess.run(
        [sys.executable, "-c", RESTORE_ALONE],
        input=pickle.dumps(made(RestoreOrder, values)),
        capture_output=True,
        check=True,
        timeout=300,
    )
    assert int(done.stdout.split()[-1]) < mib, done.stdout
    shutil.rmtree(tampered.root / "back", ignore_errors=True)


def test_the_store_is_open_for_the_honest_again(tampered: Any) -> None:
    assert open_store(tampered.nights.spec) is not None
    assert tampered.restore(vouched=True) == "done"
