"""The format: written, read back, and read with ordinary tools."""

from __future__ import annotations

import io
import os
import shutil
import subprocess
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from trees import awkward_tree, picture

from fasciculus.core.bundle import layout
from fasciculus.core.bundle.codecs import codec
from fasciculus.core.bundle.entry import Entry, Extent, order
from fasciculus.core.bundle.listing import (
    ListingWriter,
    children,
    from_line,
    read_listing,
    to_line,
)
from fasciculus.core.bundle.manifest import PieceRecord
from fasciculus.core.bundle.reader import BundleReader, only
from fasciculus.core.bundle.tree.tree_walk import scan
from fasciculus.core.bundle.writer import BundleWriter
from fasciculus.core.errors import DamagedError
from fasciculus.core.subject import Subject

SUBJECT = Subject("account", "millpond")
BUNDLE = "2026-11-24T021500Z-nightly"
MIB = 1024 * 1024


class Folder:
    """Room for pieces and the ranges of a store, in one folder."""

    def __init__(self, root: Path) -> None:
        self.pieces = root / SUBJECT.pieces
        self.pieces.mkdir(parents=True)
        self.root = root
        self.opened: list[tuple[str, int, int | None]] = []

    def take(self) -> Path:
        return self.pieces

    def put(self, path: Path, record: PieceRecord) -> None:
        assert path.stat().st_size == record.bytes

    def open(self, path: str, offset: int = 0, length: Any = None) -> Any:
        self.opened.append((path, offset, length))
        file = (self.root / path).open("rb")
        file.seek(offset)
        return file if length is None else io.BytesIO(file.read(length))


def pack(
    tree: Path,
    folder: Folder,
    *,
    packing: str = "zstd",
    piece_size: int = 64 * MIB,
    frame_size: int = 8 * MIB,
    warn: Any = None,
) -> Any:
    """A full bundle of a tree's files; gives pieces and listing."""
    warnings: list[str] = []
    warn = warn or warnings.append
    raw = io.BytesIO()
    listing = ListingWriter(raw)
    writer = BundleWriter(
        BUNDLE, codec(packing), folder, listing, piece_size=piece_size, frame_size=frame_size
    )
    firsts: dict[bytes, Entry] = {}
    for entry in scan(os.fsencode(tree), warn=warn):
        path = os.fsencode(tree) + b"/" + entry.path
        first = firsts.get(entry.link) if entry.link else None
        if first is not None and writer.links_to(first.path):
            writer.add_link(entry, first)
        elif entry.type == "file":
            entry.link = None
            with open(path, "rb") as file:
                if entry.size > MIB:
                    writer.add_stream(entry, file, warn)
                else:
                    writer.add(entry, file.read())
            firsts[entry.path] = entry
        else:
            writer.add(entry)
    pieces = writer.finish()
    listing.close()
    return pieces, raw.getvalue()


def reassemble(folder: Path) -> None:
    """Join what was split, as docs/by-hand.md says."""
    for first in folder.rglob("*.fasciculus-part-0001"):
        whole = first.with_name(first.name.removesuffix(".fasciculus-part-0001"))
        subprocess.run(
            f"cat '{whole}'.fasciculus-part-* > '{whole}' && touch -r '{first}' '{whole}' "
            f"&& chmod --reference='{first}' '{whole}' && chown --reference='{first}' '{whole}' "
            f"&& rm '{whole}'.fasciculus-part-*",
            shell=True,
            check=True,
        )


@pytest.mark.parametrize(
    ("packing", "flag", "piece_size", "frame_size"),
    [
        ("zstd", "--zstd", 64 * MIB, 8 * MIB),
        ("gzip", "-z", 64 * MIB, 64 * 1024),
        ("none", "-p", 64 * MIB, 8 * MIB),
        ("zstd", "--zstd", 2 * MIB, 100_000),
    ],
)
def test_tar_alone_unpacks_the_whole(
    tmp_path: Path, packing: str, flag: str, piece_size: int, frame_size: int
) -> None:
    tree = awkward_tree(tmp_path)
    folder = Folder(tmp_path / "store")
    pieces, _ = pack(tree, folder, packing=packing, piece_size=piece_size, frame_size=frame_size)
    assert all(piece.bytes <= piece_size for piece in pieces)
    assert (len(pieces) > 3) == (piece_size == 2 * MIB)
    target = tmp_path / "untarred"
    target.mkdir()
    for piece in pieces:
        subprocess.run(
            [
                "tar",
                flag,
                "-xpf",
                str(folder.pieces / piece.name),
                "--xattrs",
                "--numeric-owner",
                "-C",
                str(target),
            ],
            check=True,
            capture_output=True,
        )
    reassemble(target)
    # A folder that plain tar enters again with the next piece gets a new time; all else is as it
    # was.
    where = os.fsencode(target) + b"/files"
    wanted, found = picture(tree), picture(where)
    if len(pieces) == 1:
        assert found == wanted
    else:
        assert {k: (*v[:4], *v[5:]) for k, v in found.items()} == {
            k: (*v[:4], *v[5:]) for k, v in wanted.items()
        }
        times = {k: v[4] for k, v in wanted.items() if v[5] is not None}
        assert {k: found[k][4] for k in times} == times
    sums = "".join(f"{p.sha256}  {p.name}\n" for p in pieces)
    subprocess.run(
        ["sha256sum", "--quiet", "-c"], input=sums, text=True, check=True, cwd=folder.pieces
    )


@pytest.mark.parametrize("packing", ["zstd", "gzip", "none"])
def test_each_file_reads_back_alone_and_in_a_row(tmp_path: Path, packing: str) -> None:
    tree = awkward_tree(tmp_path)
    folder = Folder(tmp_path / "store")
    _, raw = pack(tree, folder, packing=packing, piece_size=2 * MIB, frame_size=200_000)
    entries = list(read_listing(io.BytesIO(raw)))
    assert [e.path for e in entries] == sorted((e.path for e in entries), key=order), (
        "scan order is one total order"
    )
    files = [e for e in entries if e.type == "file"]
    wanted = {e.path: open(os.fsencode(tree) + b"/" + e.path, "rb").read() for e in files}
    with BundleReader(folder, SUBJECT) as reader:
        assert {e.path: b"".join(reader.contents(e)) for e in files} == wanted
    for entry in files:
        folder.opened.clear()
        with BundleReader(folder, SUBJECT) as reader:
            assert b"".join(reader.contents(entry, alone=True)) == wanted[entry.path]
        if entry.size < 100_000 and entry.size:
            assert len(folder.opened) == 1, "one file costs one ranged read"
            assert folder.opened[0][2] is not None and folder.opened[0][2] < MIB


def test_a_flipped_byte_never_passes(tmp_path: Path) -> None:
    tree = tmp_path / "tree"
    tree.mkdir()
    for n in range(20):
        (tree / f"{n:02d}").write_bytes(os.urandom(5000))
    for packing in ("zstd", "gzip", "none"):
        folder = Folder(tmp_path / packing)
        pieces, raw = pack(tree, folder, packing=packing, frame_size=16_000)
        path = folder.pieces / pieces[0].name
        good = path.read_bytes()
        entries = [e for e in read_listing(io.BytesIO(raw)) if e.type == "file"]
        for at in range(700, len(good) - 3000, 4999):
            path.write_bytes(good[:at] + bytes([good[at] ^ 0x40]) + good[at + 1 :])
            harmed = 0
            for entry in entries:
                with BundleReader(folder, SUBJECT) as reader:
                    try:
                        data = b"".join(reader.contents(entry, alone=True))
                    except DamagedError as error:
                        harmed += 1
                        assert error.hint
                    else:
                        assert data == (tree / entry.text).read_bytes()
            assert harmed <= 4, "no more than its frame contains"
        path.write_bytes(good[: len(good) // 2])
        with pytest.raises(DamagedError), BundleReader(folder, SUBJECT) as reader:
            for entry in entries:
                b"".join(reader.contents(entry))


def test_what_changes_while_it_is_read_is_said(tmp_path: Path) -> None:
    folder, warnings = Folder(tmp_path / "store"), []
    raw = io.BytesIO()
    listing = ListingWriter(raw)
    writer = BundleWriter(BUNDLE, codec("zstd"), folder, listing, piece_size=64 * MIB)
    short = Entry("files", b"log", size=2 * MIB)
    writer.add_stream(short, io.BytesIO(b"x" * 1000), warnings.append)

    class Broken(io.BytesIO):
        def read(self, count: int = -1) -> None:  # type: ignore[override]
            raise OSError(5, "Input/output error")

    writer.add_stream(Entry("files", b"torn", size=2 * MIB), Broken(), warnings.append)
    grown = Entry("files", b"zgrown", size=10)
    writer.add_stream(grown, io.BytesIO(b"y" * 1000), warnings.append)
    pieces = writer.finish()
    listing.close()
    assert (
        "log: became shorter" in warnings[0] and "torn: could not be read to its end" in warnings[1]
    )
    shown = subprocess.run(
        ["tar", "--zstd", "-tvf", str(folder.pieces / pieces[0].name)],
        check=True,
        capture_output=True,
        text=True,
    ).stdout
    assert [line.split()[2] for line in shown.splitlines()] == [str(2 * MIB), str(2 * MIB), "10"]
    with BundleReader(folder, SUBJECT) as reader:
        first = next(read_listing(io.BytesIO(raw.getvalue())))
        assert b"".join(reader.contents(first)) == b"x" * 1000 + bytes(2 * MIB - 1000)


def test_a_full_spool_ends_the_packing(tmp_path: Path) -> None:
    class Full(Folder):
        def put(self, path: Path, record: PieceRecord) -> None:
            raise OSError(28, "No space left on device")

    writer = BundleWriter(
        BUNDLE, codec("none"), Full(tmp_path), ListingWriter(io.BytesIO()), piece_size=MIB
    )
    with pytest.raises(OSError, match="No space left"):
        for number in range(500):
            writer.add(Entry("files", b"%03d" % number), bytes(100_000))
        writer.finish()
    writer.abandon()


NAMES = st.binary(min_size=1, max_size=60).filter(
    lambda b: b"/" not in b and b"\0" not in b and b not in (b".", b"..")
)


def entry_of_its_parts(**fields: Any) -> Entry:
    """An entry that is as long as its parts are, if it is a file."""
    size = sum(part.size for part in fields["parts"]) if fields["type"] == "file" else 0
    return Entry(**fields, size=size)


ENTRIES = st.builds(
    entry_of_its_parts,
    kind=st.sampled_from(layout.KINDS),
    path=NAMES,
    type=st.sampled_from(["file", "dir", "symlink", "fifo"]),
    mode=st.integers(0, 0o7777),
    uid=st.integers(0, 2**32 - 2),
    gid=st.integers(0, 2**32 - 2),
    user=st.text(st.characters(exclude_categories=["Cs"]), max_size=40),
    mtime_ns=st.integers(-(2**60), 2**62),
    ctime_ns=st.integers(1, 2**62),
    inode=st.integers(0, 2**64 - 1),
    device=st.integers(0, 2**32),
    target=st.none() | NAMES,
    link=st.none() | NAMES,
    origin=st.none() | NAMES,
    xattrs=st.dictionaries(st.text("abc.", min_size=1), st.binary(), max_size=3),
    digest=st.just("0" * 64),
    parts=st.lists(
        st.builds(Extent, st.just("p.tar.zst"), *[st.integers(0, 2**40)] * 4), max_size=3
    ),
)


@given(st.lists(ENTRIES, max_size=20))
@settings(suppress_health_check=[HealthCheck.too_slow])
def test_the_listing_keeps_every_entry_exactly(entries: list[Any]) -> None:
    for entry in entries:
        assert from_line(to_line(entry)) == entry
    raw = io.BytesIO()
    writer = ListingWriter(raw)
    for entry in entries:
        writer.add(entry)
    writer.close()
    assert list(read_listing(io.BytesIO(raw.getvalue()))) == entries
    if len(raw.getvalue()) > 20:
        with pytest.raises(DamagedError):
            list(read_listing(io.BytesIO(raw.getvalue()[:-3])))


@given(st.dictionaries(NAMES, st.binary(max_size=300), max_size=12))
@settings(
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
    max_examples=40,
    deadline=None,
)
def test_any_names_survive_tar(tmp_path: Path, contents: dict[Any, Any]) -> None:
    root = tmp_path / "any"
    shutil.rmtree(root, ignore_errors=True)
    tree, target = root / "tree", root / "out"
    tree.mkdir(parents=True)
    target.mkdir()
    for name, data in contents.items():
        if name in (b".", b".."):
            continue
        with open(os.fsencode(tree) + b"/" + name, "wb") as file:
            file.write(data)
    folder = Folder(root / "store")
    for piece in pack(tree, folder)[0]:
        subprocess.run(
            ["tar", "--zstd", "-xpf", str(folder.pieces / piece.name), "-C", str(target)],
            check=True,
            capture_output=True,
        )
    assert picture(target / "files") == picture(tree)


def test_children_of_a_folder(tmp_path: Path) -> None:
    tree = tmp_path / "tree"
    for path in ("a/b/c.txt", "a/d.txt", "a.txt", "e/f.txt"):
        (tree / path).parent.mkdir(parents=True, exist_ok=True)
        (tree / path).write_text("12345")
    entries = list(scan(os.fsencode(tree)))
    rows = [(e.text, e.type, files) for e, files, _ in children(iter(entries), "files", b"")]
    assert rows == [("a", "dir", 2), ("a.txt", "file", 1), ("e", "dir", 1)]
    assert [(e.text, n) for e, n, _ in children(iter(entries), "files", b"a")] == [
        ("a/b", 1),
        ("a/d.txt", 1),
    ]
    assert [e.text for e in only(entries, [b"a/b"])] == ["a/b", "a/b/c.txt"]
