"""Verifying, mending and repacking: what is damaged is found and named, and nothing is lost on the way."""

import os
import shutil
import subprocess
import time

import pytest
from nights import MIB, SUBJECT, Nights, Power
from running import until

from fasciculus.stores import open_store
from fasciculus.work.mend import MendWork
from fasciculus.work.order import MendOrder
from fasciculus.work.retiring import needed_pieces


@pytest.fixture
def nights(tmp_path):
    """Three nights on two stores: a full bundle of three pieces, then two that add a little."""
    found = Nights(tmp_path / "n", second="cellar")
    for number in range(40):
        folder = found.tree / f"site-{number % 4}"
        folder.mkdir(exist_ok=True)
        (folder / f"page-{number:02}.html").write_bytes(os.urandom(100_000))
    (found.tree / "film.bin").write_bytes(os.urandom(5 * MIB))
    settled(found)
    found.night()
    for number in range(2):
        (found.tree / f"site-1/new-{number}.html").write_bytes(os.urandom(50_000))
        found.night()
    return found


def settled(nights):
    """Wait out the clock's grain, within which a changed file is not trusted to stay as it is."""
    newest = max(path.lstat().st_ctime_ns for path in nights.tree.rglob("*"))
    until(lambda: time.time_ns() - newest > 30_000_000)


def pieces(nights, bundle=0):
    return [row["name"] for row in nights.manifests[nights.known[bundle]]["pieces"] if row["used"]]


def test_sound_copies_are_found_whole(nights):
    assert nights.verify(deep=False) == ({}, []) and nights.verify(deep=True, store="cellar") == ({}, [])


def test_what_is_missing_or_short_is_seen_without_reading(nights):
    first, second = pieces(nights)[:2]
    nights.piece(first).unlink()
    os.truncate(nights.piece(second), 1000)
    sums = nights.root / "attic" / SUBJECT.bundle(nights.known[1]) / "SHA256SUMS"
    sums.write_text(sums.read_text().replace("a", "b"))
    damage, _ = nights.verify(deep=False)
    assert set(damage) == {f"pieces/{first}", f"pieces/{second}", f"bundles/{nights.known[1]}/SHA256SUMS"}
    assert damage[f"pieces/{first}"].reason == "missing" and damage[f"pieces/{first}"].bundles == nights.known
    assert "1,000 bytes instead of" in damage[f"pieces/{second}"].reason


def test_a_flipped_bit_names_the_bundles_and_the_files_it_harms(nights):
    (nights.tree / "one.bin").write_bytes(os.urandom(400_000))
    nights.night()
    added = next(name for name in pieces(nights, -1) if name.startswith(nights.known[-1]))
    nights.flip(nights.piece(added))
    assert nights.verify(deep=False) == ({}, []), "a size alone does not tell"
    damage, _ = nights.verify(deep=True)
    (found,) = damage.values()
    assert (found.file, found.reason) == (f"pieces/{added}", "altered")
    assert found.bundles == [nights.known[-1]] and found.files == ["files/one.bin"] and found.harmed == 1


def test_damage_in_one_frame_leaves_the_others_alone(nights):
    film = ["files/film.bin", *(f"files/site-{n % 4}/page-{n:02}.html" for n in range(40))]
    large = max(pieces(nights), key=lambda name: nights.piece(name).stat().st_size)
    nights.flip(nights.piece(large), 0.9)
    (found,) = nights.verify(deep=True)[0].values()
    assert found.bundles == nights.known and 1 <= found.harmed < 40 and set(found.files) <= set(film)


def test_a_damaged_copy_is_mended_from_the_other_store(nights):
    first, second = pieces(nights)[:2]
    nights.flip(nights.piece(first))
    nights.piece(second).unlink()
    shutil.rmtree(nights.root / "attic" / SUBJECT.bundle(nights.known[1]))
    listing = nights.root / "attic" / SUBJECT.bundle(nights.known[2]) / "listing.jsonl.zst"
    nights.flip(listing)
    damage, _ = nights.verify(deep=True)
    finished, events = nights.upkeep(MendOrder, MendWork, files=list(damage), sources=[nights.store_order("cellar")])
    assert finished.outcome == "done", events
    assert nights.verify(deep=True, suspects=list(damage)) == ({}, list(damage))
    for name in nights.known:
        assert nights.restored(name) == nights.images[name]


def test_what_is_damaged_everywhere_is_said_and_stored_again(nights):
    first = pieces(nights)[0]
    nights.flip(nights.piece(first))
    nights.flip(nights.piece(first, "cellar"), 0.4)
    damage, _ = nights.verify(deep=True)
    finished, _ = nights.upkeep(MendOrder, MendWork, files=list(damage), sources=[nights.store_order("cellar")])
    assert finished.outcome == "warned" and "no other store" in finished.error
    nights.night(damaged=[first])
    assert nights.restored(nights.known[-1], "cellar") == nights.images[nights.known[-1]]


# Repacking ----------------------------------------------------------------------

def age(nights):
    """Change most of the tree and retire the full bundle, so that much of its pieces is dead weight."""
    for number in range(30):
        (nights.tree / f"site-{number % 4}/page-{number:02}.html").write_bytes(os.urandom(20_000))
    settled(nights)
    nights.night()
    nights.night(keep=2)
    assert len(nights.known) == 2


def held(nights):
    return sum(item.size for item in open_store(nights.spec).items(SUBJECT.pieces))


def all_is_well(nights, interrupted=False):
    damage = nights.verify(deep=True)[0]
    # Between the writing of bundle.json and of the sums, those are of the state before, which is there still.
    assert not damage or (interrupted and all(file.endswith("SHA256SUMS") for file in damage))
    for name in nights.known:
        assert nights.restored(name) == nights.images[name]
        folder = nights.root / "attic" / SUBJECT.bundle(name)
        subprocess.run(["sha256sum", "--quiet", "-c", "SHA256SUMS"], cwd=folder, check=True)


def test_repacking_frees_dead_weight_and_every_bundle_stays_whole(nights):
    age(nights)
    before = held(nights)
    planned = nights.repack(dry_run=True)
    assert held(nights) == before and planned.manifest["chosen"] and 2.5e6 < planned.manifest["frees"] < 3.5e6
    finished = nights.repack()
    assert finished.bytes == before - held(nights) == pytest.approx(planned.manifest["frees"], rel=0.1)
    all_is_well(nights)
    assert "no piece is worth" in nights.repack().error
    (nights.tree / "after.html").write_bytes(os.urandom(9000))
    assert nights.night()["brings"] == "full", "the other store was not repacked: it holds other pieces"
    del nights.specs["cellar"]
    nights.night()
    (nights.tree / "later.html").write_bytes(os.urandom(9000))
    assert nights.night()["brings"] == "incremental" and nights.brought() < 12_000
    all_is_well(nights)


def test_repacking_may_be_stopped_before_any_write(nights, writes_can_be_cut):
    del nights.specs["cellar"]
    age(nights)
    kept = nights.root.with_name("kept")
    shutil.copytree(nights.root, kept)
    sizes = []
    for cut in range(100):
        shutil.rmtree(nights.root)
        shutil.copytree(kept, nights.root)
        child = os.fork()
        if not child:
            Power.left = cut
            try:
                nights.repack()
            finally:
                os._exit(0)
        code = os.waitstatus_to_exitcode(os.waitpid(child, 0)[1])
        all_is_well(nights, interrupted=True)
        nights.repack()
        all_is_well(nights)
        store = open_store(nights.spec)
        assert {item.name for item in store.items(SUBJECT.pieces)} == needed_pieces(store, SUBJECT, nights.known)
        sizes.append(held(nights))
        if code == 0:
            break
    assert cut > 8 and max(sizes) < min(sizes) * 1.01
