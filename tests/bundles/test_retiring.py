"""Copies go, and with the last that needs it each piece; nothing else goes, whatever happens."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from copies import pieces_needed, sweep, unrecorded

from fasciculus.bundles.recorded_copies import RecordedCopies
from fasciculus.bundles.retiring import (
    StoreKeep,
    clear_interrupted,
    complete,
    remove_bundle,
    retire,
    settle,
)
from fasciculus.contracts.orders import CopyOrder
from fasciculus.core.bundle.manifest import Manifest, PieceRecord, parse_manifest
from fasciculus.core.bundle.seal.authentication import Origin, origin_of
from fasciculus.core.errors import DamagedError, SettingError
from fasciculus.core.retention import parse
from fasciculus.core.subject import Subject
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import connected
from fasciculus.stores.folder import FolderStore
from fasciculus.stores.reading import read_all

SUBJECT = Subject("account", "millpond")
NAMES = [f"2026-11-{day:02}T021500Z-nightly" for day in range(1, 8)]


class PowerCut(Exception):
    """The machine went off before a write."""


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Any]:
    (tmp_path / "attic").mkdir()
    spec = store_spec("attic", {"kind": "folder", "folder": str(tmp_path / "attic")})
    with connected(open_store(spec)) as found:
        yield found


def put(
    store: FolderStore,
    name: str,
    *pieces: Any,
    subject: Subject = SUBJECT,
    listing: str = "listing.jsonl.zst",
    job: str = "nightly",
    listing_bytes: bytes = b"l",
) -> Manifest:
    """A bundle that names these pieces, which are there."""
    folder = subject.bundle(name)
    records = [PieceRecord(piece, 1, "ab" * 32) for piece in pieces]
    for piece in pieces:
        store.put_bytes(b"x", subject.piece(piece))
    manifest = Manifest(
        name,
        subject.kind,
        subject.name,
        job,
        "1",
        "reed-1",
        "2026-11-01T02:15:00+00:00",
        pieces=records,
        listing=listing,
        listing_bytes=len(listing_bytes),
        listing_sha256=hashlib.sha256(listing_bytes).hexdigest(),
    )
    files = {listing: listing_bytes, "SHA256SUMS": b"s", "bundle.json": manifest.to_json()}
    for file, data in files.items():
        store.put_bytes(data, f"{folder}/{file}")
    return manifest


def pieces(store: FolderStore, subject: Subject = SUBJECT) -> set[str]:
    return {item.name for item in store.items(subject.pieces)}


def kept(
    store: FolderStore,
    known: list[str],
    keep: int,
    pinned: list[str] | tuple[Any, ...] = (),
    recorded: RecordedCopies | None = None,
) -> Any:
    """Retire; the names of what retired, and how many are left."""
    gone = []
    with tempfile.TemporaryDirectory() as spool:
        left = retire(
            store,
            SUBJECT,
            list(known),
            StoreKeep(parse(str(keep)), pinned=list(pinned)),
            gone.append,
            recorded or unrecorded(SUBJECT),
            Path(spool),
            complete(store, SUBJECT),
        )
    return gone, left


def test_the_oldest_go_and_pieces_with_the_last_that_needs_them(store: FolderStore) -> None:
    put(store, NAMES[0], "a", "shared")
    put(store, NAMES[1], "b", "shared")
    put(store, NAMES[2], "c")
    assert kept(store, NAMES[:3], 2) == ([NAMES[0]], 2)
    assert complete(store, SUBJECT) == NAMES[1:3]
    assert pieces(store) == {"b", "shared", "c"}
    assert kept(store, NAMES[1:3], 1) == ([NAMES[1]], 1)
    assert pieces(store) == {"c"}


def test_nothing_goes_when_there_is_room(store: FolderStore) -> None:
    for name in NAMES[:3]:
        put(store, name, f"of-{name}")
    assert kept(store, NAMES[:3], 3) == ([], 3)
    assert kept(store, NAMES[:3], 100) == ([], 3)
    assert len(pieces(store)) == 3


def test_only_what_records_and_store_agree_on_counts(store: FolderStore) -> None:
    for name in NAMES[:3]:
        put(store, name, f"of-{name}")
    unknown = "2026-10-01T021500Z-monthly"
    put(store, unknown, "of-another-job")
    known = [NAMES[3], *NAMES[:3]]
    assert kept(store, known, 2) == (NAMES[:4:3], 2), "missing copies are forgotten"
    assert unknown in complete(store, SUBJECT) and "of-another-job" in pieces(store)


def test_pinned_copies_stay_and_take_no_place(store: FolderStore) -> None:
    for name in NAMES[:3]:
        put(store, name, f"of-{name}")
    assert kept(store, NAMES[:3], 1, pinned=[NAMES[0]]) == ([NAMES[1]], 2)
    assert pieces(store) == {f"of-{NAMES[0]}", f"of-{NAMES[2]}"}


def test_what_has_no_moment_in_its_name_never_retires(store: FolderStore) -> None:
    for name in ("odd", *NAMES[:2]):
        put(store, name, f"of-{name}")
    gone, left = kept(store, ["odd", *NAMES[:2]], 1)
    assert gone == [NAMES[0]] and left == 2 and "of-odd" in pieces(store)


@pytest.mark.parametrize("keep", [1, 2])
def test_a_clock_that_was_set_forward_or_back_never_costs_the_last_made(
    store: FolderStore, keep: int
) -> None:
    """The order in which bundles were made counts, whatever their names say of the time."""
    future, past = "2031-01-01T021500Z-nightly", "2009-01-01T021500Z-nightly"
    made = [NAMES[0], future, past, NAMES[1]]
    for name in made:
        put(store, name, f"of-{name}")
    assert kept(store, made, keep) == (made[:-keep], keep)
    assert set(complete(store, SUBJECT)) == set(made[-keep:])
    put(store, past + ".2", "p")
    assert kept(store, [*made[-keep:], past + ".2"], 1)[0] == made[-keep:]


def test_a_rule_that_would_keep_none_is_refused_before_anything_goes(store: FolderStore) -> None:
    put(store, NAMES[0], "a")
    with pytest.raises(SettingError):
        kept(store, NAMES[:1], 0)
    assert complete(store, SUBJECT) == NAMES[:1]


def test_a_manifest_that_cannot_be_read_costs_no_piece(store: FolderStore) -> None:
    """It is unknown whether its pieces are needed."""
    put(store, NAMES[0], "a")
    put(store, NAMES[1], "b")
    put(store, NAMES[2], "c")
    store.put_bytes(b"{", f"{SUBJECT.bundle(NAMES[1])}/bundle.json")
    assert kept(store, NAMES[:3], 2) == (NAMES[:1], 2), "and no task"
    assert pieces(store) == {"a", "b", "c"}
    assert sweep(store, SUBJECT) == [] and pieces(store) == {"a", "b", "c"}
    with pytest.raises(DamagedError):
        pieces_needed(store, SUBJECT, NAMES[1:2])


def test_other_subjects_are_left_alone(store: FolderStore) -> None:
    other = Subject("site", "millpond")
    put(store, NAMES[0], "a", subject=other)
    put(store, NAMES[0], "a")
    put(store, NAMES[1], "b")
    kept(store, NAMES[:2], 1)
    sweep(store, SUBJECT)
    assert complete(store, other) == NAMES[:1] and pieces(store, other) == {"a"}


def test_a_bundle_counts_no_more_from_the_first_step_of_its_removal(
    store: FolderStore, monkeypatch: pytest.MonkeyPatch
) -> None:
    put(store, NAMES[0], "a")
    removed = []
    remove = store.remove
    monkeypatch.setattr(store, "remove", lambda path: (removed.append(path), remove(path)))
    remove_bundle(store, SUBJECT, NAMES[0])
    assert removed[0].endswith("/bundle.json") and len(removed) == 3
    assert store.items(SUBJECT.bundles) == [] and pieces(store) == {"a"}


@pytest.mark.parametrize("cut", range(12))
def test_a_power_cut_before_any_write_loses_nothing_that_counts(
    store: FolderStore, monkeypatch: pytest.MonkeyPatch, cut: int
) -> None:
    put(store, NAMES[0], "a", "shared")
    put(store, NAMES[1], "b", "shared")
    put(store, NAMES[2], "c", "shared")
    left = [cut]

    def counted(write: Callable[..., Any]) -> Callable[..., Any]:
        def method(*values: Any) -> Any:
            if not left[0]:
                raise PowerCut
            left[0] -= 1
            return write(*values)

        return method

    for name in ("remove", "remove_folder"):
        monkeypatch.setattr(store, name, counted(getattr(store, name)))
    try:
        kept(store, NAMES[:3], 1)
        whole = True
    except PowerCut:
        whole = False
    monkeypatch.undo()
    there = complete(store, SUBJECT)
    assert NAMES[2] in there
    assert pieces_needed(store, SUBJECT, there) <= pieces(store), "each that counts is whole"
    sweep(store, SUBJECT)
    assert pieces(store) == pieces_needed(store, SUBJECT, there)
    assert whole == (cut >= 10)


def test_sweeping_removes_what_is_half_written_and_what_nobody_names(store: FolderStore) -> None:
    put(store, NAMES[0], "a")
    store.put_bytes(b"l", f"{SUBJECT.bundle(NAMES[1])}/listing.jsonl.zst")
    store.put_bytes(b"x", SUBJECT.piece("stray"))
    assert sorted(sweep(store, SUBJECT)) == [NAMES[1], "stray"]
    assert complete(store, SUBJECT) == NAMES[:1] and pieces(store) == {"a"}
    assert sweep(store, SUBJECT) == []


def test_sweeping_where_nothing_is(store: FolderStore) -> None:
    assert sweep(store, SUBJECT) == [] and complete(store, SUBJECT) == []


def test_what_repacking_began_is_finished(store: FolderStore) -> None:
    """A bundle with a second listing: its sums follow, then the first listing goes."""
    manifest = put(store, NAMES[0], "a", listing="listing-2.jsonl.zst")
    folder = SUBJECT.bundle(NAMES[0])
    store.put_bytes(b"old", f"{folder}/listing.jsonl.zst")
    sweep(store, SUBJECT)
    names = {item.name for item in store.items(folder)}
    assert names == {"listing-2.jsonl.zst", "bundle.json", "SHA256SUMS"}
    with store.open(f"{folder}/SHA256SUMS") as stream:
        assert b"listing-2.jsonl.zst" in stream.read(1000)
    settle(store, SUBJECT, manifest)
    assert {item.name for item in store.items(folder)} == names, "there is nothing left to do"


def test_a_listing_that_was_not_repacked_is_not_touched(store: FolderStore) -> None:
    put(store, NAMES[0], "a")
    folder = SUBJECT.bundle(NAMES[0])
    store.put_bytes(b"a note of the operator", f"{folder}/README")
    sweep(store, SUBJECT)
    assert "README" in {item.name for item in store.items(folder)}


class Beside:
    """The records of a store's copies, with their files."""

    def __init__(self, folder: Path, key: bytes = b"k" * 32) -> None:
        self.folder, self.key, self.told = folder, key, []
        folder.mkdir()
        self.copies: list[CopyOrder] = []

    def note(self, store: FolderStore, name: str, listing: str = "listing.jsonl.zst") -> None:
        """Record the present manifest and listing of a bundle on the store."""
        for file, suffix in (("bundle.json", "json"), (listing, "zst")):
            data = read_all(store, f"{SUBJECT.bundle(name)}/{file}")
            (self.folder / f"{name}.{suffix}").write_bytes(data)
        manifest = (self.folder / f"{name}.json").read_bytes()
        self.copies.append(
            CopyOrder(
                name=name,
                manifest=str(self.folder / f"{name}.json"),
                manifest_sha256=hashlib.sha256(manifest).hexdigest(),
                listing=str(self.folder / f"{name}.zst"),
                listing_sha256=parse_manifest(manifest).listing_sha256,
            )
        )

    @property
    def recorded(self) -> RecordedCopies:
        return RecordedCopies(self.copies, SUBJECT, self.key, self.told.append)


@pytest.fixture
def beside(store: FolderStore, tmp_path: Path) -> Beside:
    """Three bundles, all of them in the records."""
    found = Beside(tmp_path / "records")
    for name, piece in zip(NAMES[:3], "abc", strict=True):
        put(store, name, piece, "shared", listing_bytes=b"l")
        found.note(store, name)
    return found


@pytest.mark.parametrize("trouble", ["gone", "damaged", "altered", "another's", "folder gone"])
def test_a_manifest_that_is_gone_or_altered_is_written_again(
    store: FolderStore, beside: Beside, trouble: str
) -> None:
    folder = SUBJECT.bundle(NAMES[1])
    path = f"{folder}/bundle.json"
    before = read_all(store, path)
    match trouble:
        case "gone":
            store.remove(path)
        case "damaged":
            store.put_bytes(b"{", path)
        case "altered":
            store.put_bytes(before.replace(b'"reed-1"', b'"reed-2"'), path)
        case "another's":
            store.put_bytes(read_all(store, f"{SUBJECT.bundle(NAMES[2])}/bundle.json"), path)
        case "folder gone":
            remove_bundle(store, SUBJECT, NAMES[1])
    assert sweep(store, SUBJECT, beside.recorded) == []
    assert read_all(store, path) == before and pieces(store) == {"a", "b", "c", "shared"}
    assert read_all(store, f"{folder}/listing.jsonl.zst") == b"l"
    (sentence,) = beside.told
    assert NAMES[1] in sentence and "attic" in sentence and "written again" in sentence


def test_what_cannot_be_written_again_is_told_and_costs_neither_pieces_nor_the_job(
    store: FolderStore, beside: Beside
) -> None:
    store.remove(SUBJECT.piece("b"))
    store.put_bytes(b"{", f"{SUBJECT.bundle(NAMES[1])}/bundle.json")
    store.put_bytes(b"x", SUBJECT.piece("stray"))
    assert sweep(store, SUBJECT, beside.recorded) == []
    assert pieces(store) == {"a", "c", "shared", "stray"}, "nobody knows what is needed"
    assert "cannot be written again" in beside.told[0] and "stores repair" in beside.told[0]
    assert kept(store, NAMES[:3], 1, recorded=beside.recorded)[0] == NAMES[:2]


def test_a_copy_that_is_gone_with_its_pieces_is_forgotten_when_it_would_retire(
    store: FolderStore, beside: Beside
) -> None:
    remove_bundle(store, SUBJECT, NAMES[0])
    store.remove(SUBJECT.piece("a"))
    assert kept(store, NAMES[:3], 2, recorded=beside.recorded) == ([], 2)
    assert kept(store, NAMES[:3], 1, recorded=beside.recorded) == ([NAMES[1], NAMES[0]], 1)


def test_what_repacking_wrote_unheard_is_known_by_its_tag(
    store: FolderStore, beside: Beside
) -> None:
    """The records know another manifest; only who has the service's key can have written it."""
    manifest = beside.recorded.manifest(store, NAMES[0])
    manifest.listing_sha256 = "77" * 32
    path = f"{SUBJECT.bundle(NAMES[0])}/bundle.json"
    store.put_bytes(manifest.to_json(beside.key), path)
    assert beside.recorded.manifest(store, NAMES[0]) == manifest
    for key in (b"", b"x" * 32):
        store.put_bytes(manifest.to_json(key), path)
        with pytest.raises(DamagedError, match="not what was stored there"):
            beside.recorded.manifest(store, NAMES[0])
    forged = manifest.to_json(beside.key).replace(b"77" * 32, b"78" * 32)
    assert origin_of(forged, beside.key) is Origin.ALTERED
    store.put_bytes(forged, path)
    with pytest.raises(DamagedError):
        beside.recorded.manifest(store, NAMES[0])


class Watched:
    """A store that notes which files are opened."""

    def __init__(self, store: FolderStore) -> None:
        self._store, self.opened, self.cleared = store, [], []

    def __getattr__(self, name: str) -> Any:
        return getattr(self._store, name)

    def clear_partial(self, folder: str) -> None:
        self.cleared.append(folder)

    def open(self, path: str, *more: Any) -> Any:
        self.opened.append(path)
        return self._store.open(path, *more)


def cleared(store: FolderStore, beside: Beside, tmp_path: Path, turn: int = 0) -> Any:
    """Clear what interrupted runs left: what was removed, what is there, and the files read."""
    watched: Any = Watched(store)
    removed, present = clear_interrupted(watched, SUBJECT, beside.recorded, tmp_path, turn)
    assert watched.cleared and set(watched.cleared) == {SUBJECT.folder}, "uploads that broke off"
    return removed, present, watched.opened


def test_of_a_store_that_holds_what_is_recorded_one_manifest_a_day_is_read(
    store: FolderStore, beside: Beside, tmp_path: Path
) -> None:
    for turn in range(4):
        removed, present, read = cleared(store, beside, tmp_path, turn)
        assert removed == [] and present.whole == NAMES[:3]
        assert present.pieces == {"a": 1, "b": 1, "c": 1, "shared": 1}
        assert read == [f"{SUBJECT.bundle(NAMES[turn % 3])}/bundle.json"]
    unkept, beside.copies[0].manifest = beside.copies[0].manifest, None
    assert len(cleared(store, beside, tmp_path)[2]) == 3, "what is not known here is read"
    beside.copies[0].manifest = unkept
    altered = f"{SUBJECT.bundle(NAMES[1])}/bundle.json"
    before = read_all(store, altered)
    store.put_bytes(before.replace(b'"reed-1"', b'"reed-2"'), altered)
    cleared(store, beside, tmp_path, 0)
    assert read_all(store, altered) != before, "of the same size, and not its turn"
    cleared(store, beside, tmp_path, 1)
    assert read_all(store, altered) == before and "written again" in beside.told[0]


@pytest.mark.parametrize("odd", ["stray piece", "half a bundle", "gone", "longer", "repacked"])
def test_whatever_is_not_as_recorded_is_looked_into(
    store: FolderStore, beside: Beside, tmp_path: Path, odd: str
) -> None:
    path = f"{SUBJECT.bundle(NAMES[1])}/bundle.json"
    before = read_all(store, path)
    expected: list[str] = []
    match odd:
        case "stray piece":
            store.put_bytes(b"x", SUBJECT.piece("stray"))
            expected = ["stray"]
        case "half a bundle":
            store.put_bytes(b"x", f"{SUBJECT.bundle(NAMES[5])}/listing.jsonl.zst")
            expected = [NAMES[5]]
        case "gone":
            store.remove(path)
        case "longer":
            store.put_bytes(before + b" ", path)
        case "repacked":
            put(store, NAMES[3], "a", listing="listing-2.jsonl.zst")
            beside.note(store, NAMES[3], "listing-2.jsonl.zst")
            store.put_bytes(b"old", f"{SUBJECT.bundle(NAMES[3])}/listing.jsonl.zst")
    removed, present, _ = cleared(store, beside, tmp_path)
    assert removed == expected and set(present.whole) >= set(NAMES[:3])
    assert set(present.pieces) == {"a", "b", "c", "shared"} and read_all(store, path) == before
    if odd == "repacked":
        left = {item.name for item in store.items(SUBJECT.bundle(NAMES[3]))}
        assert "listing.jsonl.zst" not in left, "what repacking began is finished"


def test_pieces_that_others_need_cost_no_look_at_these(store: FolderStore, beside: Beside) -> None:
    watched: Any = Watched(store)
    store.put_bytes(b"x", SUBJECT.piece("d"))
    put(store, NAMES[3], "a", "shared")
    beside.note(store, NAMES[3])
    # The oldest goes, and all that it has is needed by another one.
    assert kept(watched, NAMES[:4], 3, recorded=beside.recorded) == ([NAMES[0]], 3)
    assert watched.opened == [f"{SUBJECT.bundle(NAMES[0])}/bundle.json"]
    assert pieces(store) == {"a", "b", "c", "d", "shared"}
    beside.copies = beside.copies[1:]
    assert kept(watched, NAMES[1:4], 2, recorded=beside.recorded) == ([NAMES[1]], 2)
    assert pieces(store) == {"a", "c", "shared"}, "one piece was needed by no other"
    store.put_bytes(b"{", f"{SUBJECT.bundle(NAMES[2])}/bundle.json")
    assert kept(store, NAMES[2:4], 1, recorded=beside.recorded) == ([NAMES[2]], 1)
    assert pieces(store) == {"a", "shared"}, "what is retired need not be readable"


def test_records_that_know_the_listing_alone_hold_a_copy_to_that(
    store: FolderStore, beside: Beside
) -> None:
    """As a version made them that did not note the manifest's own digest."""
    for copy in beside.copies:
        copy.manifest_sha256 = ""
    recorded = beside.recorded
    manifest = recorded.manifest(store, NAMES[0])
    assert recorded.vouches_for(NAMES[0]) and not recorded.vouches_for("unknown")
    manifest.listing_sha256 = "77" * 32
    store.put_bytes(manifest.to_json(), f"{SUBJECT.bundle(NAMES[0])}/bundle.json")
    with pytest.raises(DamagedError, match="the records know another listing"):
        recorded.manifest(store, NAMES[0])
    beside.copies[1].listing_sha256 = ""
    assert not beside.recorded.vouches_for(NAMES[1]), "nobody knows what it should be"


def test_a_copy_that_is_missing_keeps_the_pieces_that_the_records_know(
    store: FolderStore, beside: Beside
) -> None:
    """It cannot be written again, and others than its own pieces may still go."""
    remove_bundle(store, SUBJECT, NAMES[1])
    store.remove(SUBJECT.piece("b"))
    store.put_bytes(b"x", SUBJECT.piece("stray"))
    assert sweep(store, SUBJECT, beside.recorded) == ["stray"]
    assert pieces(store) == {"a", "c", "shared"} and "cannot be written again" in beside.told[0]
