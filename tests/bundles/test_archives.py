"""Bundles as archives: each format is opened by another program, and is whole for every bundle."""

from __future__ import annotations

import gzip
import io
import subprocess
import tarfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
import zstandard

from fasciculus.bundles.archives import ARCHIVE_FORMATS, archive_format
from fasciculus.bundles.tar_export import ExportSelection
from fasciculus.core.bundle.codecs import codec
from fasciculus.core.bundle.entry import DIR, FIFO, SYMLINK, Entry
from fasciculus.core.bundle.listing import ListingWriter, read_listing
from fasciculus.core.bundle.manifest import PieceRecord
from fasciculus.core.bundle.writer import BundleWriter
from fasciculus.core.errors import SettingError
from fasciculus.core.subject import Subject
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import connected

SUBJECT = Subject("account", "millpond")
YEAR = 365 * 86_400 * 10**9
NOW = 1_790_000_000 * 10**9
FIELDS = {"mode": 0o640, "user": "millpond", "group": "www-data", "mtime_ns": NOW}
TIMES = {
    "1700": -270 * YEAR,
    "1901": -69 * YEAR,
    "1970": 0,
    "1979": 9 * YEAR,
    "now": NOW,
    "2107": 137 * YEAR,
    "2108": 139 * YEAR,
    "2400": 430 * YEAR,
    "far": 2**62,
}


class Room:
    """A spool for pieces: the store itself."""

    def __init__(self, root: Path) -> None:
        self.root = root

    def take(self) -> Path:
        return self.root

    def put(self, path: Path, record: PieceRecord) -> None:
        assert path.stat().st_size == record.bytes


@pytest.fixture
def bundle(tmp_path: Path) -> Iterator[ExportSelection]:
    """An awkward bundle on a store, as the source of an archive."""
    root = tmp_path / "attic"
    (root / SUBJECT.pieces).mkdir(parents=True)
    listing = tmp_path / "listing.zst"
    with listing.open("wb") as raw:
        lines = ListingWriter(raw)
        writer = BundleWriter("b", codec("zstd"), Room(root / SUBJECT.pieces), lines, piece_size=1)
        writer.add(Entry("files", b"", DIR, **{**FIELDS, "mode": 0o750}))
        for name, moment in TIMES.items():
            fields = {**FIELDS, "mtime_ns": moment}
            writer.add(Entry("files", name.encode(), **fields), name.encode() * 100)
        first = Entry("files", "grün/ü".encode(), **FIELDS)
        writer.add(first, b"green")
        writer.add(Entry("files", b"caf\xe9", **FIELDS), b"not utf-8")
        writer.add(Entry("files", b"empty", **FIELDS))
        writer.add_link(Entry("files", b"second", link="grün/ü".encode(), **FIELDS), first)
        writer.add(Entry("files", b"link", SYMLINK, target=b"grun", **FIELDS))
        writer.add(Entry("files", b"pipe", FIFO, **FIELDS))
        writer.add(Entry("databases", b"shop/00000-schema.sql", **FIELDS), b"SELECT 1;")
        writer.finish()
        lines.close()
    spec = store_spec("attic", {"kind": "folder", "folder": str(root)})
    (tmp_path / "spool").mkdir()
    with connected(open_store(spec)) as store:
        yield ExportSelection(store, SUBJECT, listing, [], [], tmp_path / "spool")


def part(
    bundle: ExportSelection,
    contents: list[Any] | tuple[Any, ...] = (),
    paths: list[bytes] | tuple[Any, ...] = (),
) -> ExportSelection:
    return ExportSelection(
        bundle.store, bundle.subject, bundle.listing, list(contents), list(paths), bundle.spool
    )


def archived(name: str, wanted: ExportSelection) -> bytes:
    return b"".join(archive_format(name).make(wanted))


def unpacked(name: str, data: bytes) -> Any:
    """The contents of a packed tar, by the standard library."""
    if name == "tar.gz":
        plain = gzip.decompress(data)
    else:
        plain = zstandard.ZstdDecompressor().decompressobj().decompress(data)
    return tarfile.open(fileobj=io.BytesIO(plain))


@pytest.mark.parametrize("name", ["tar.gz", "tar.zst"])
def test_a_tar_has_every_entry_as_it_was(bundle: ExportSelection, name: str) -> None:
    with unpacked(name, archived(name, bundle)) as archive:
        found = {member.name: member for member in archive}
        assert len(found) == len(TIMES) + 8
        for text, moment in TIMES.items():
            member = found[f"files/{text}"]
            said = member.pax_headers.get("mtime", member.mtime)
            assert float(said) == pytest.approx(moment / 10**9)
            assert archive.extractfile(member).read() == text.encode() * 100
        assert found["files/second"].islnk() and found["files/link"].issym()
        assert found["files/pipe"].isfifo()
        assert found["databases/shop/00000-schema.sql"].size == 9


def test_a_zip_is_whole_whatever_times_are_in_it(bundle: ExportSelection, tmp_path: Path) -> None:
    path = tmp_path / "bundle.zip"
    path.write_bytes(archived("zip", bundle))
    with zipfile.ZipFile(path) as archive:
        assert archive.testzip() is None
        found = {info.filename: info for info in archive.infolist()}
        assert len(found) == len(TIMES) + 8, "all but the pipe, and what is lacking"
        lacks = archive.read("OMISSIONS.txt").decode()
        assert "files/pipe: a fifo, which zip cannot hold" in lacks and "caf\\xe9" in lacks
        assert bundle.omissions.count == 2
        years = {name: found[f"files/{name}"].date_time[0] for name in TIMES}
        assert years["1700"] == years["1901"] == years["1970"] == years["1979"] == 1980
        assert years["2108"] == years["2400"] == years["far"] == 2107 and years["now"] == 2026
        assert archive.read("files/second") == archive.read("files/grün/ü") == b"green"
        assert archive.read("files/caf\\xe9") == b"not utf-8"
        assert found["files/now"].external_attr >> 16 == 0o100640
        assert found["files/link"].external_attr >> 28 == 0o12
        assert found["files/"].is_dir()


def test_the_ordinary_programs_open_them(bundle: ExportSelection, tmp_path: Path) -> None:
    for name, flag in (("tar.gz", "-z"), ("tar.zst", "--zstd")):
        target = tmp_path / name
        target.mkdir()
        command = ["tar", flag, "-xf", "-", "-C", str(target)]
        subprocess.run(command, input=archived(name, bundle), check=True, capture_output=True)
        assert (target / "files/second").stat().st_nlink == 2
        assert (target / "files/1979").read_bytes() == b"1979" * 100
        assert (target / "files/1979").stat().st_mtime == TIMES["1979"] / 10**9


@pytest.mark.parametrize("name", sorted(ARCHIVE_FORMATS))
def test_the_same_part_is_the_same_archive(bundle: ExportSelection, name: str) -> None:
    """A resumed download must continue exactly."""
    wanted = part(bundle, ["files"], ["grün".encode(), b"now"])
    assert archived(name, wanted) == archived(name, wanted)


def test_a_part_is_what_was_asked_for(bundle: ExportSelection) -> None:
    with unpacked("tar.gz", archived("tar.gz", part(bundle, ["databases"]))) as archive:
        assert archive.getnames() == ["databases/shop/00000-schema.sql"]
    with unpacked("tar.gz", archived("tar.gz", part(bundle, [], [b"now"]))) as archive:
        assert archive.getnames() == ["files/now"]
    with unpacked("tar.gz", archived("tar.gz", part(bundle, [], [b"second"]))) as archive:
        (member,) = archive
        assert member.isreg() and archive.extractfile(member).read() == b"green"


def test_a_first_name_that_is_left_out_does_not_make_a_dangling_link(
    bundle: ExportSelection,
) -> None:
    wanted = part(bundle, [], [b"second", b"now"])
    with zipfile.ZipFile(io.BytesIO(archived("zip", wanted))) as archive:
        assert archive.read("files/second") == b"green"


def test_a_format_that_is_none() -> None:
    with pytest.raises(SettingError) as caught:
        archive_format("rar")
    assert caught.value.field == "form"
    assert caught.value.sentence() == "“rar” is not an archive format. Choose tar.gz, tar.zst, zip."


@pytest.mark.parametrize("name", ["tar.gz", "tar.zst", "zip"])
def test_what_is_damaged_costs_itself_and_is_named(
    bundle: ExportSelection, monkeypatch: pytest.MonkeyPatch, tmp_path: Path, name: str
) -> None:
    """A large file keeps its place, with zeros from the damage on; a small one is left out."""
    monkeypatch.setattr("fasciculus.bundles.tar_export._WHOLE", 400)
    # Where the folder store keeps its files: they are damaged behind its back.
    piece = max((bundle.store._root / SUBJECT.pieces).iterdir())  # type: ignore[attr-defined]
    rows = list(read_listing(bundle.listing.open("rb")))
    at_fault = {row.name for row in rows if row.parts and row.parts[0].piece == piece.name}
    piece.write_bytes(b"\0" * piece.stat().st_size)
    data = archived(name, bundle)
    assert bundle.omissions.count >= len(at_fault) > 0
    lacks = bundle.omissions.text().decode()
    assert all(name.decode() in lacks for name in at_fault if name.isascii())
    if name == "zip":
        (tmp_path / "z.zip").write_bytes(data)
        with zipfile.ZipFile(tmp_path / "z.zip") as archive:
            assert archive.testzip() is None and "OMISSIONS.txt" in archive.namelist()
    else:
        with unpacked(name, data) as archive:
            assert archive.getnames()[-1] == "OMISSIONS.txt"
            for member in archive.getmembers():
                if member.isreg():
                    assert len(archive.extractfile(member).read()) == member.size


def test_a_large_file_that_is_damaged_keeps_what_follows_whole(
    bundle: ExportSelection, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("fasciculus.bundles.tar_export._WHOLE", 10)
    # Where the folder store keeps its files: they are damaged behind its back.
    for piece in (bundle.store._root / SUBJECT.pieces).iterdir():  # type: ignore[attr-defined]
        piece.write_bytes(b"\0" * piece.stat().st_size)
    with unpacked("tar.gz", archived("tar.gz", bundle)) as archive:
        for member in archive.getmembers():
            if member.isreg() and member.name != "OMISSIONS.txt" and member.size > 10:
                assert archive.extractfile(member).read() == bytes(member.size)
        assert "in here, but damaged" in bundle.omissions.text().decode()


def test_paths_that_match_nothing_are_known_before(bundle: ExportSelection) -> None:
    assert part(bundle, paths=[b"link", b"gr\xc3\xbcn"]).unmatched() == []
    wanted = part(bundle, paths=[b"link", b"gr", b"nowhere/"])
    assert wanted.unmatched() == [b"gr", b"nowhere/"] and part(bundle).unmatched() == []
