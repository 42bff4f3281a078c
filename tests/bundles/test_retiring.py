"""Copies go, and with the last that needs it each piece; nothing else goes, whatever happens."""

import pytest

from fasciculus.bundles.retiring import (
    complete,
    manifests_of,
    needed_pieces,
    remove_bundle,
    retire,
    settle,
    sweep,
)
from fasciculus.core.bundle.layout import SubjectRef
from fasciculus.core.bundle.manifest import Manifest, PieceRecord
from fasciculus.core.errors import DamagedError, SettingError
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import connected

SUBJECT = SubjectRef("account", "millpond")
NAMES = [f"2026-11-{day:02}T021500Z-nightly" for day in range(1, 8)]


class PowerCut(Exception):
    """The machine went off before a write."""


@pytest.fixture
def store(tmp_path):
    (tmp_path / "attic").mkdir()
    spec = store_spec("attic", {"kind": "folder", "folder": str(tmp_path / "attic")})
    with connected(open_store(spec)) as found:
        yield found


def put(store, name, *pieces, subject=SUBJECT, listing="listing.jsonl.zst", job="nightly"):
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
        listing_sha256="cd" * 32,
    )
    for file, data in ((listing, b"l"), ("SHA256SUMS", b"s"), ("bundle.json", manifest.to_json())):
        store.put_bytes(data, f"{folder}/{file}")
    return manifest


def pieces(store, subject=SUBJECT):
    return {item.name for item in store.items(subject.pieces)}


def kept(store, known, keep, pinned=()):
    """Retire; the names of what retired, and how many are left."""
    gone = []
    left = retire(store, SUBJECT, list(known), list(pinned), keep, gone.append)
    return gone, left


def test_the_oldest_go_and_pieces_with_the_last_that_needs_them(store):
    put(store, NAMES[0], "a", "shared")
    put(store, NAMES[1], "b", "shared")
    put(store, NAMES[2], "c")
    assert kept(store, NAMES[:3], 2) == ([NAMES[0]], 2)
    assert complete(store, SUBJECT) == NAMES[1:3]
    assert pieces(store) == {"b", "shared", "c"}
    assert kept(store, NAMES[1:3], 1) == ([NAMES[1]], 1)
    assert pieces(store) == {"c"}


def test_nothing_goes_when_there_is_room(store):
    for name in NAMES[:3]:
        put(store, name, f"of-{name}")
    assert kept(store, NAMES[:3], 3) == ([], 3)
    assert kept(store, NAMES[:3], 100) == ([], 3)
    assert len(pieces(store)) == 3


def test_only_what_records_and_store_agree_on_counts(store):
    for name in NAMES[:3]:
        put(store, name, f"of-{name}")
    unknown = "2026-10-01T021500Z-monthly"
    put(store, unknown, "of-another-job")
    known = [NAMES[3], *NAMES[:3]]
    assert kept(store, known, 2) == ([NAMES[0]], 2), "one is known and not there, another not known"
    assert unknown in complete(store, SUBJECT) and "of-another-job" in pieces(store)


def test_pinned_copies_stay_and_take_no_place(store):
    for name in NAMES[:3]:
        put(store, name, f"of-{name}")
    assert kept(store, NAMES[:3], 1, pinned=[NAMES[0]]) == ([NAMES[1]], 2)
    assert pieces(store) == {f"of-{NAMES[0]}", f"of-{NAMES[2]}"}


def test_what_has_no_moment_in_its_name_never_retires(store):
    for name in ("odd", *NAMES[:2]):
        put(store, name, f"of-{name}")
    gone, left = kept(store, ["odd", *NAMES[:2]], 1)
    assert gone == [NAMES[0]] and left == 2 and "of-odd" in pieces(store)


@pytest.mark.parametrize("keep", [1, 2])
def test_a_clock_that_was_set_forward_or_back_never_costs_the_last_made(store, keep):
    """The order in which bundles were made counts, whatever their names say of the time."""
    future, past = "2031-01-01T021500Z-nightly", "2009-01-01T021500Z-nightly"
    made = [NAMES[0], future, past, NAMES[1]]
    for name in made:
        put(store, name, f"of-{name}")
    assert kept(store, made, keep) == (made[:-keep], keep)
    assert set(complete(store, SUBJECT)) == set(made[-keep:])
    put(store, past + ".2", "p")
    assert kept(store, [*made[-keep:], past + ".2"], 1)[0] == made[-keep:]


def test_a_rule_that_would_keep_none_is_refused_before_anything_goes(store):
    put(store, NAMES[0], "a")
    with pytest.raises(SettingError):
        kept(store, NAMES[:1], 0)
    assert complete(store, SUBJECT) == NAMES[:1]


def test_a_manifest_that_cannot_be_read_costs_no_piece(store):
    """Whether its pieces are needed nobody knows."""
    put(store, NAMES[0], "a")
    put(store, NAMES[1], "b")
    put(store, NAMES[2], "c")
    store.put_bytes(b"{", f"{SUBJECT.bundle(NAMES[1])}/bundle.json")
    with pytest.raises(DamagedError):
        kept(store, NAMES[:3], 2)
    assert pieces(store) == {"a", "b", "c"}
    with pytest.raises(DamagedError):
        sweep(store, SUBJECT)
    assert pieces(store) == {"a", "b", "c"}
    with pytest.raises(DamagedError):
        needed_pieces(store, SUBJECT, NAMES[1:2])


def test_other_subjects_are_left_alone(store):
    other = SubjectRef("site", "millpond")
    put(store, NAMES[0], "a", subject=other)
    put(store, NAMES[0], "a")
    put(store, NAMES[1], "b")
    kept(store, NAMES[:2], 1)
    sweep(store, SUBJECT)
    assert complete(store, other) == NAMES[:1] and pieces(store, other) == {"a"}


def test_a_bundle_counts_no_more_from_the_first_step_of_its_removal(store, monkeypatch):
    put(store, NAMES[0], "a")
    removed = []
    remove = store.remove
    monkeypatch.setattr(store, "remove", lambda path: (removed.append(path), remove(path)))
    remove_bundle(store, SUBJECT, NAMES[0])
    assert removed[0].endswith("/bundle.json") and len(removed) == 3
    assert store.items(SUBJECT.bundles) == [] and pieces(store) == {"a"}


@pytest.mark.parametrize("cut", range(12))
def test_a_power_cut_before_any_write_loses_nothing_that_counts(store, monkeypatch, cut):
    put(store, NAMES[0], "a", "shared")
    put(store, NAMES[1], "b", "shared")
    put(store, NAMES[2], "c", "shared")
    left = [cut]

    def counted(write):
        def method(*values):
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
    assert needed_pieces(store, SUBJECT, there) <= pieces(store), "each that counts is whole"
    sweep(store, SUBJECT)
    assert pieces(store) == needed_pieces(store, SUBJECT, there)
    assert whole == (cut >= 10)


def test_sweeping_removes_what_is_half_written_and_what_nobody_names(store):
    put(store, NAMES[0], "a")
    store.put_bytes(b"l", f"{SUBJECT.bundle(NAMES[1])}/listing.jsonl.zst")
    store.put_bytes(b"x", SUBJECT.piece("stray"))
    assert sorted(sweep(store, SUBJECT)) == [NAMES[1], "stray"]
    assert complete(store, SUBJECT) == NAMES[:1] and pieces(store) == {"a"}
    assert sweep(store, SUBJECT) == []


def test_sweeping_where_nothing_is(store):
    assert sweep(store, SUBJECT) == [] and complete(store, SUBJECT) == []


def test_what_repacking_began_is_finished(store):
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


def test_a_listing_that_was_not_repacked_is_not_touched(store):
    put(store, NAMES[0], "a")
    folder = SUBJECT.bundle(NAMES[0])
    store.put_bytes(b"a note of the operator", f"{folder}/README")
    sweep(store, SUBJECT)
    assert "README" in {item.name for item in store.items(folder)}


def test_manifests_come_in_the_order_asked_for(store):
    for name in NAMES[:2]:
        put(store, name, "a")
    found = manifests_of(store, SUBJECT, reversed(NAMES[:2]))
    assert [manifest.name for manifest in found] == NAMES[:2][::-1]
