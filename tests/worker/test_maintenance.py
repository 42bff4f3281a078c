"""Repacking, repairing and verifying: what is kept, what is repaired, what is reported."""

from __future__ import annotations

import io
import os
import shutil
import sqlite3
import subprocess
import threading
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from copies import pieces_needed
from nights import MIB, SUBJECT, Nights, Power, made, settled
from running import folder_stores, run, set_up, small_account, stand_in_spec, until

from fasciculus.client import RefusedError
from fasciculus.contracts.orders import RepackOrder, RepairOrder
from fasciculus.core.errors import FasciculusError
from fasciculus.models import Changes, JobInput, StoreInput
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.identity import write_identity
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.maintenance.repack import RepackTask
from fasciculus.worker.maintenance.repair import RepairTask


@pytest.fixture
def nights(tmp_path: Path) -> Nights:
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


def pieces(nights: Nights, bundle: int = 0) -> list[str]:
    return [row["name"] for row in nights.manifests[nights.known[bundle]]["pieces"] if row["used"]]


def test_sound_copies_are_found_whole(nights: Nights) -> None:
    assert nights.verify(deep=False) == ({}, []) and nights.verify(deep=True, store="cellar") == (
        {},
        [],
    )


def test_what_is_missing_or_short_is_seen_without_reading(nights: Nights) -> None:
    first, second = pieces(nights)[:2]
    nights.piece(first).unlink()
    os.truncate(nights.piece(second), 1000)
    sums = nights.root / "attic" / SUBJECT.bundle(nights.known[1]) / "SHA256SUMS"
    sums.write_text(sums.read_text().replace("a", "b"))
    damage, _ = nights.verify(deep=False)
    assert set(damage) == {
        f"pieces/{first}",
        f"pieces/{second}",
        f"bundles/{nights.known[1]}/SHA256SUMS",
    }
    assert (
        damage[f"pieces/{first}"].reason == "missing"
        and damage[f"pieces/{first}"].bundles == nights.known
    )
    assert "1,000 bytes instead of" in damage[f"pieces/{second}"].reason


def test_a_flipped_bit_names_the_bundles_and_the_files_it_harms(nights: Nights) -> None:
    (nights.tree / "one.bin").write_bytes(os.urandom(400_000))
    nights.night()
    added = next(name for name in pieces(nights, -1) if name.startswith(nights.known[-1]))
    nights.flip(nights.piece(added))
    assert nights.verify(deep=False) == ({}, []), "a size alone does not tell"
    damage, _ = nights.verify(deep=True)
    (found,) = damage.values()
    assert (found.file, found.reason) == (f"pieces/{added}", "altered")
    assert (
        found.bundles == [nights.known[-1]]
        and found.files == ["files/one.bin"]
        and found.harmed == 1
    )


def test_damage_in_one_frame_leaves_the_others_alone(nights: Nights) -> None:
    film = ["files/film.bin", *(f"files/site-{n % 4}/page-{n:02}.html" for n in range(40))]
    large = max(pieces(nights), key=lambda name: nights.piece(name).stat().st_size)
    nights.flip(nights.piece(large), 0.9)
    (found,) = nights.verify(deep=True)[0].values()
    assert (
        found.bundles == nights.known and 1 <= found.harmed < 40 and set(found.files) <= set(film)
    )


def test_a_damaged_copy_is_repaired_from_the_other_store(nights: Nights) -> None:
    first, second = pieces(nights)[:2]
    nights.flip(nights.piece(first))
    nights.piece(second).unlink()
    shutil.rmtree(nights.root / "attic" / SUBJECT.bundle(nights.known[1]))
    listing = nights.root / "attic" / SUBJECT.bundle(nights.known[2]) / "listing.jsonl.zst"
    nights.flip(listing)
    damage, _ = nights.verify(deep=True)
    finished, events = nights.maintenance(
        RepairOrder, RepairTask, files=list(damage), sources=[nights.store_order("cellar")]
    )
    assert finished.outcome == "done", events
    assert nights.verify(deep=True, suspects=list(damage)) == ({}, list(damage))
    for name in nights.known:
        assert nights.restored(name) == nights.images[name]


def test_a_listing_that_only_another_store_has_is_brought_from_there(nights: Nights) -> None:
    """Nothing is left next to the records, and another store was exchanged."""
    name = nights.known[-1]
    folder = nights.root / "attic" / SUBJECT.bundle(name)
    nights.flip(folder / "listing.jsonl.zst")
    for path in nights.root.glob("*.zst"):
        path.unlink()
    damage, _ = nights.verify(deep=True)
    assert set(damage) == {f"bundles/{name}/listing.jsonl.zst"}
    (nights.root / "stranger").mkdir()
    nights.add_store(
        store_spec("stranger", {"kind": "folder", "folder": str(nights.root / "stranger")})
    )
    (nights.root / "stranger/fasciculus-store.json").write_text(
        '{"format": "fasciculus-store", "version": 1, "id": "%s"}' % ("a" * 32)
    )
    sources = [nights.store_order("stranger"), nights.store_order("cellar")]
    finished, events = nights.maintenance(
        RepairOrder, RepairTask, files=list(damage), sources=sources
    )
    assert finished.outcome == "done" and any(
        "cannot help" in getattr(event, "text", "") for event in events
    )
    assert nights.verify(deep=True) == ({}, []) and nights.restored(name) == nights.images[name]
    (folder / "listing.jsonl.zst").unlink()
    assert nights.verify(deep=False)[0][f"bundles/{name}/listing.jsonl.zst"].reason == "missing"
    finished, _ = nights.maintenance(
        RepairOrder, RepairTask, files=[f"bundles/{name}/listing.jsonl.zst"], sources=sources[:1]
    )
    assert finished.outcome == "warned" and "no other store" in finished.summary


def test_what_is_damaged_everywhere_is_said_and_stored_again(nights: Any) -> None:
    first = pieces(nights)[0]
    nights.flip(nights.piece(first))
    nights.flip(nights.piece(first, "cellar"), 0.4)
    damage, _ = nights.verify(deep=True)
    finished, _ = nights.maintenance(
        RepairOrder, RepairTask, files=list(damage), sources=[nights.store_order("cellar")]
    )
    assert finished.outcome == "warned" and "no other store" in finished.summary
    nights.night(damaged=[first])
    assert nights.restored(nights.known[-1], "cellar") == nights.images[nights.known[-1]]


# Repacking ----------------------------------------------------------------------


def age(nights: Nights) -> None:
    """Change most of the tree and retire the full bundle, so that much of its pieces is dead
    weight.
    """
    for number in range(30):
        (nights.tree / f"site-{number % 4}/page-{number:02}.html").write_bytes(os.urandom(20_000))
    settled(nights)
    nights.night()
    nights.night(keep=2)
    assert len(nights.known) == 2


def held(nights: Nights) -> int:
    return sum(item.size for item in open_store(nights.spec).items(SUBJECT.pieces))


def all_is_well(nights: Nights, interrupted: bool = False) -> None:
    damage = nights.verify(deep=True)[0]
    # Between the writing of bundle.json and of the sums, those are of the state before, which is
    # there still.
    assert not damage or (interrupted and all(file.endswith("SHA256SUMS") for file in damage))
    for name in nights.known:
        assert nights.restored(name) == nights.images[name]
        folder = nights.root / "attic" / SUBJECT.bundle(name)
        subprocess.run(["sha256sum", "--quiet", "-c", "SHA256SUMS"], cwd=folder, check=True)


def test_repacking_frees_unused_data_and_every_bundle_stays_whole(nights: Nights) -> None:
    age(nights)
    before = held(nights)
    planned = nights.repack(dry_run=True)
    assert held(nights) == before and planned.chosen and 2.5e6 < planned.frees < 3.5e6
    finished = nights.repack()
    assert finished.bytes == before - held(nights) == pytest.approx(planned.frees, rel=0.1)
    all_is_well(nights)
    assert "no piece is worth" in nights.repack().summary
    (nights.tree / "after.html").write_bytes(os.urandom(9000))
    assert nights.night()["brings"] == "incremental" and nights.brought() < 12_000, (
        "the other store, which was not repacked, is brought the pieces that it lacks"
    )
    assert nights.restored(nights.known[-1], "cellar") == nights.images[nights.known[-1]]
    del nights.specs["cellar"]
    nights.night()
    (nights.tree / "later.html").write_bytes(os.urandom(9000))
    assert nights.night()["brings"] == "incremental" and nights.brought() < 12_000
    all_is_well(nights)


def test_repacking_may_be_stopped_before_any_write(nights: Nights, writes_can_be_cut: Any) -> None:
    del nights.specs["cellar"]
    age(nights)
    kept = nights.root.with_name("kept")
    shutil.copytree(nights.root, kept)
    sizes, manifests = [], dict(nights.manifests)
    for cut in range(100):
        shutil.rmtree(nights.root)
        nights.manifests = dict(manifests)
        shutil.copytree(kept, nights.root)
        child = os.fork()
        if not child:
            Power.left = cut
            try:
                nights.repack()
            finally:
                os._exit(0)
        if os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0:
            break
        all_is_well(nights, interrupted=True)
        nights.repack()
        all_is_well(nights)
        store = open_store(nights.spec)
        assert {item.name for item in store.items(SUBJECT.pieces)} == pieces_needed(
            store, SUBJECT, nights.known
        )
        sizes.append(held(nights))
    assert cut > 8 and max(sizes) < min(sizes) * 1.01


def test_maintenance_over_sftp(nights: Nights, openssh: Any) -> None:
    """On a real server: checksums without reading, repairing both ways, repacking."""
    del nights.specs["cellar"]
    nights.add_store(openssh.spec())
    assert nights.night()["brings"] == "incremental", "the new store is brought what it lacks"
    assert nights.restored(nights.known[-1], "openssh") == nights.images[nights.known[-1]]
    settled(nights)
    nights.night()
    there = openssh.bundles
    large = max(pieces(nights, -1), key=lambda name: (there / SUBJECT.piece(name)).stat().st_size)
    nights.known = nights.known[-2:]
    for name, path in (("openssh", there / SUBJECT.piece(large)), ("attic", nights.piece(large))):
        other = "attic" if name == "openssh" else "openssh"
        nights.flip(path)
        damage, _ = nights.verify(deep=name == "attic", store=name)
        assert list(damage) == [f"pieces/{large}"], "a server with a shell tells checksums"
        finished, _ = nights.maintenance(
            RepairOrder, RepairTask, name, files=list(damage), sources=[nights.store_order(other)]
        )
        assert finished.outcome == "done"
        assert nights.verify(deep=True, store=name)[0] == {}
    age(nights)
    before = sum(path.stat().st_size for path in there.rglob("*.tar.zst"))
    assert nights.repack(store="openssh").bytes == before - sum(
        path.stat().st_size for path in there.rglob("*.tar.zst")
    )
    assert nights.verify(deep=True, store="openssh")[0] == {}
    for name in nights.known:
        assert nights.restored(name, "openssh") == nights.images[name]


# Through the service ---------------------------------------------------------------


@pytest.fixture
def kept(running: Any, tmp_path: Path) -> Iterator[Any]:
    """A service with one account on two folder stores, and two incremental bundles of it."""
    home = tmp_path / "millpond"
    account = small_account(tmp_path, "millpond", files=20)
    stores = folder_stores(tmp_path, "attic", "cellar")
    with running.client() as client:
        set_up(client, [account], stores, mode="incremental", contents=["files"])
        (home / "film.bin").write_bytes(os.urandom(300_000))
        (home / "gone.html").write_text("gone")
        run(client, "nightly")
        (home / "new.html").write_bytes(os.urandom(5000))
        (home / "page-1.html").write_text("edited")
        (home / "page-2.html").chmod(0o600)
        (home / "gone.html").unlink()
        run(client, "nightly")
        yield client


def ended(client: Any, ids: Any) -> Any:
    return [
        until(lambda number=number: (u := client.maintenance_show(number)).state == "ended" and u)  # type: ignore[misc]
        for number in ids
    ]


def test_what_changed_in_each_bundle_is_counted_and_listed(kept: Any, running: Any) -> None:
    first, second = sorted(kept.bundles_list().items, key=lambda b: b.id)
    task = kept.runs_show(second.run).tasks[0]
    assert task.changes == Changes(
        new=1, changed=2, gone=1, grew=5000 - 4 + 6 - 20 * len("millpond 1\n")
    )
    assert kept.runs_show(first.run).tasks[0].changes is None
    found = {(c.path, c.state, c.what) for c in kept.bundles_changes(second.id).items}
    assert found == {
        ("new.html", "new", ""),
        ("page-1.html", "changed", "contents"),
        ("page-2.html", "changed", "rights"),
        ("gone.html", "gone", ""),
    }
    page = kept.bundles_changes(second.id, limit=3)
    assert (
        page.total == 4
        and len(kept.bundles_changes(second.id, limit=3, cursor=page.next).items) == 1
    )
    assert [
        c.path for c in kept.bundles_changes(first.id, against=second.id, state="new").items
    ] == ["gone.html"]
    with pytest.raises(RefusedError, match="before"):
        kept.bundles_changes(first.id)
    assert second.bytes > 300_000 and 5000 <= second.new_bytes < 6000
    growth = kept.growth_show("millpond")
    assert [p.bundle for p in growth.points] == [first.id, second.id]
    stored = sum(p.bytes for p in kept.bundles_show(second.id).pieces)
    assert stored <= growth.stores[0].stored == kept.stores_show("attic").bytes < stored + 2000
    shown = running.cli("runs", "changes", str(second.run))
    assert "page-1.html" in shown.stdout and "rights" in shown.stdout, shown
    assert "millpond" not in running.cli("runs", "changes", str(first.run)).stdout


def test_damage_is_found_named_and_repaired(kept: Any, running: Any, tmp_path: Path) -> None:
    bundle = kept.bundles_list().items[0]
    (work,) = ended(kept, kept.stores_verify("attic", deep=True).ids)
    assert work.outcome == "done" and "intact" in work.sentence
    assert all(
        copy.sound and bool(copy.verified_deep) == (copy.store == "attic")
        for copy in kept.bundles_show(bundle.id).copies
    )
    quiet = running.cli("stores", "verify", "attic", "--quiet")
    assert (quiet.returncode, quiet.stdout) == (0, "")
    piece = tmp_path / "attic" / SUBJECT.piece(kept.bundles_show(bundle.id).pieces[0].name)
    data = bytearray(piece.read_bytes())
    data[len(data) // 2] ^= 1
    piece.unlink()
    piece.write_bytes(data)
    found = running.cli("stores", "verify", "attic", "--deep")
    assert found.returncode == 0, found.stdout + found.stderr
    assert "1 file repaired" in found.stdout and "harms 2 bundles" in found.stdout
    assert not kept.damage_list().items and kept.stores_show("attic").damaged == 0
    log = [
        line.text
        for line in kept.every(
            kept.maintenance_log, maintenance_id=kept.maintenance_list(kind="repair").items[0].id
        )
    ]
    assert any("repaired from cellar" in text for text in log)


def test_damage_that_no_store_can_repair_is_shown_and_stored_again_by_the_next_run(
    kept: Any, running: Any, tmp_path: Path
) -> None:
    bundle = kept.bundles_list().items[0]
    name = kept.bundles_show(bundle.id).pieces[0].name
    for store in ("attic", "cellar"):
        (tmp_path / store / SUBJECT.piece(name)).unlink()
    sums = tmp_path / "attic" / SUBJECT.bundle(bundle.name) / "SHA256SUMS"
    sums.write_text(sums.read_text()[1:])
    found = running.cli("stores", "verify", "attic")
    assert found.returncode == 1 and "found intact on no other store" in found.stdout, found.stdout
    (row,) = kept.damage_list(store="attic").items
    assert row.file == f"pieces/{name}" and "files/film.bin" in row.files and len(row.bundles) == 2
    assert row.repair_from == ["cellar"] and not row.stored_again, "nobody looked at cellar yet"
    assert not next(c for c in kept.bundles_show(bundle.id).copies if c.store == "attic").sound
    assert any("attic" in row.text and row.level == "broken" for row in kept.overview().attention)
    shown = running.cli("damage", "list").stdout
    assert "files/film.bin" in shown and bundle.name in shown
    ended(kept, kept.stores_verify("cellar").ids)
    assert all(row.repair_from == [] for row in kept.damage_list().items)
    done = run(kept, "nightly")
    assert done.outcome == "warned" and "stored again" in done.tasks[0].warnings[0]
    newest = kept.bundles_list().items[0]
    assert newest.new_bytes > 300_000 and all(copy.sound for copy in newest.copies)
    assert [row.stored_again for row in kept.damage_list().items] == [newest.name] * 2
    kept.bundles_download(newest.id, tmp_path / "whole.tar.gz")


def test_repacking_one_store_keeps_downloads_of_both_right(
    kept: Any, running: Any, tmp_path: Path
) -> None:
    home = tmp_path / "millpond"
    for number in range(12):
        (home / f"page-{number}.html").write_bytes(os.urandom(30_000))
    run(kept, "nightly")
    job = kept.jobs_show("nightly")
    kept.jobs_change(
        "nightly", JobInput(**{**job.model_dump(include=set(JobInput.model_fields)), "keep": 1})
    )
    (home / "film.bin").write_bytes(os.urandom(1000))
    run(kept, "nightly")
    newest = kept.bundles_list().items[0]
    dry = running.cli("stores", "repack", "attic", "--dry-run", "--over", "0")
    assert dry.returncode == 0 and "would free about" in dry.stdout, dry
    before = kept.stores_show("attic").bytes
    found = running.cli("stores", "repack", "attic", "--over", "0")
    assert found.returncode == 0 and "are free again" in found.stdout
    assert (
        kept.stores_show("attic").bytes < before - 250_000
        and kept.stores_show("cellar").bytes == before
    )
    sizes = {
        kept.bundles_download(newest.id, tmp_path / f"{store}.tar.gz", store=store)[0]
        for store in ("attic", "cellar")
    }
    assert len(sizes) == 1
    assert run(kept, "nightly").tasks[0].outcome == "done"
    assert any(
        "different pieces" in line.text
        for line in kept.every(kept.runs_log, run_id=kept.runs_list().items[0].id)
    )


def test_stores_that_are_repacked_alike_are_alike(kept: Any, tmp_path: Path) -> None:
    for number in range(12):
        (tmp_path / "millpond" / f"page-{number}.html").write_bytes(os.urandom(30_000))
    job = kept.jobs_show("nightly")
    kept.jobs_change(
        "nightly", JobInput(**{**job.model_dump(include=set(JobInput.model_fields)), "keep": 1})
    )
    (tmp_path / "millpond/film.bin").write_bytes(os.urandom(1000))
    run(kept, "nightly")
    for store in ("attic", "cellar"):
        (work,) = ended(kept, kept.stores_repack(store, over=0).ids)
        assert work.outcome == "done" and work.result["freed"] > 250_000, work
    run(kept, "nightly")
    newest = kept.bundles_show(kept.bundles_list().items[0].id)
    assert newest.brings == "incremental" and newest.packed == 0
    for store in ("attic", "cellar"):
        (work,) = ended(kept, kept.stores_verify(store, deep=True).ids)
        assert work.outcome == "done"


def test_copies_are_read_through_in_the_background(running: Any, tmp_path: Path) -> None:
    """A few an hour, the longest unread first; never where a store says so."""
    accounts = [small_account(tmp_path, name) for name in ("millpond", "ferryline")]
    (tmp_path / "attic").mkdir()
    with running.client() as client:
        set_up(
            client,
            accounts,
            [
                StoreInput(
                    name="attic",
                    settings={"kind": "folder", "folder": str(tmp_path / "attic")},
                    verify_days=1,
                )
            ],
        )
        run(client, "nightly")
        assert not client.maintenance_list().items
    running.stop()
    with closing(sqlite3.connect(running.home / "records/fasciculus.sqlite")) as db:
        db.execute("UPDATE copy SET made='2026-01-02T00:00:00.000+00:00'")
        db.execute(
            "UPDATE copy SET verified_deep='2026-01-01T00:00:00.000+00:00' WHERE bundle_id="
            "(SELECT id FROM bundle WHERE subject='millpond')"
        )
        db.commit()
    running.start()
    with running.client() as client:
        work = until(lambda: [u for u in client.maintenance_list().items if u.state == "ended"])
        assert [(u.subject, u.deep, u.outcome, u.started_by) for u in work] == [
            ("millpond", True, "done", "the background")
        ]


def test_maintenance_is_answered_in_words_when_there_is_nothing_to_do(kept: Any) -> None:
    for call, words in (
        (lambda: kept.stores_repair("attic"), "known to be damaged"),
        (lambda: kept.stores_verify("attic", subject="nobody"), "no copies of “nobody”"),
        (
            lambda: kept.bundles_changes(kept.bundles_list().items[0].id, state="odd"),
            "Choose one of new, changed, gone",
        ),
    ):
        with pytest.raises(RefusedError, match=words):
            call()  # type: ignore[no-untyped-call]


def test_a_store_that_cannot_replace_a_file_is_not_repacked(
    stand_in: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Between removing and renaming, a power cut would cost the bundle."""

    def refuse(*_: Any) -> None:
        raise OSError("not supported")

    spec = stand_in_spec(stand_in)
    store = open_store(spec)
    store.connect()
    assert store.replaces_at_once()
    monkeypatch.setattr("paramiko.SFTPClient.posix_rename", refuse)
    assert not store.replaces_at_once() and store.items("") == []
    write_identity(store, "5" * 32)
    order = made(
        RepackOrder,
        {
            "subject": {"kind": "account", "name": "millpond", "host": "", "root": ""},
            "bundles": [],
            "piece_size": MIB,
            "spool_limit": MIB,
            "listings": "/none",
            "spool": str(stand_in.root.parent / "spool"),
            "store": {
                "name": "b",
                "settings": spec.settings.model_dump_json(),
                "secrets": spec.secrets,
                "store_id": "5" * 32,
            },
        },
    )
    with pytest.raises(FasciculusError, match="cannot replace a file in one step"):
        RepackTask(order, Emitter(io.BytesIO()), threading.Event()).run()
