"""Full and incremental jobs through the service: which bundle comes next, why, and that none is
ever short.
"""

from __future__ import annotations

import os
import shutil
import sqlite3
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run, set_up, small_account, until
from trees import picture

from fasciculus.models import JobInput, RestoreStart, StoreInput


@pytest.fixture
def home(running: Any, tmp_path: Path) -> Any:
    """An account with 200 kB that do not pack, on two folder stores, by an incremental job."""
    account = small_account(tmp_path, "millpond")
    (tmp_path / "millpond/film.bin").write_bytes(os.urandom(200_000))
    stores = folder_stores(tmp_path, "attic", "cellar")
    with running.client() as client:
        set_up(client, [account], stores, mode="incremental")
        run(client, "nightly")
    return tmp_path / "millpond"


def night(client: Any, **asked: Any) -> Any:
    """A run; gives its outcome, what the bundle brings, its packed bytes, and the log."""
    ended = client.start("nightly", **asked).wait()
    newest = client.bundles_show(client.bundles_list().items[0].id)
    log = " ".join(line.text for line in client.every(client.runs_log, run_id=ended.id))
    return ended.outcome, newest.brings, newest.packed, log


def change(client: Any, **fields: Any) -> None:
    job = client.jobs_show("nightly")
    client.jobs_change(
        "nightly", JobInput(**{**job.model_dump(include=set(JobInput.model_fields)), **fields})
    )


def back(client: Any, folder: Any, store: Any) -> Any:
    """The files of the newest bundle out of one store."""
    shutil.rmtree(folder, ignore_errors=True)
    newest = client.bundles_list().items[0].id
    started = client.restores_start(RestoreStart(bundle=newest, store=store, target=str(folder)))
    assert (
        until(lambda: (r := client.restores_show(started.id)).state == "ended" and r).outcome
        == "done"
    )
    return picture(folder / "files")


def test_a_store_that_misses_a_night_does_not_cost_a_full_one(
    running: Any, home: Any, tmp_path: Path
) -> None:
    with running.client() as client:
        os.rename(tmp_path / "cellar", tmp_path / "away")
        (home / "second.bin").write_bytes(os.urandom(30_000))
        assert night(client)[:2] == ("partial", "incremental")
        os.rename(tmp_path / "away", tmp_path / "cellar")
        (home / "third.bin").write_bytes(os.urandom(30_000))
        outcome, brings, packed, _ = night(client)
        assert (outcome, brings) == ("done", "incremental") and 30_000 < packed < 40_000, (
            "what is new; what it missed is brought from the other store"
        )
        for store in ("attic", "cellar"):
            assert back(client, tmp_path / "back", store) == picture(home)
        assert night(client)[1:3] == ("incremental", 0)


def test_another_store_is_brought_what_it_lacks(running: Any, home: Any, tmp_path: Path) -> None:
    (tmp_path / "loft").mkdir()
    with running.client() as client:
        client.stores_add(
            StoreInput(name="loft", settings={"kind": "folder", "folder": str(tmp_path / "loft")})
        )
        change(client, stores=["attic", "loft"])
        outcome, brings, _, log = night(client)
        assert (outcome, brings) == ("done", "incremental")
        assert "of the bundle before: brought from attic" in log
        assert back(client, tmp_path / "back", "loft") == picture(home)
        change(client, stores=["loft"])
        assert night(client)[1:3] == ("incremental", 0)


def test_the_mode_may_be_switched_at_any_time(running: Any, home: Any, tmp_path: Path) -> None:
    with running.client() as client:
        (home / "second.bin").write_bytes(os.urandom(30_000))
        assert night(client)[1] == "incremental"
        change(client, mode="full", keep=2)
        assert night(client)[1] == "full"
        change(client, mode="incremental", keep=2)
        assert night(client)[1:3] == ("incremental", 0)
        assert night(client, full=True)[1] == "full"
        pieces = {path.name for path in (tmp_path / "attic/accounts/millpond/pieces").iterdir()}
        kept = [client.bundles_show(row.id) for row in client.bundles_list().items]
        assert len(kept) == 2 and pieces == {
            piece.name for bundle in kept for piece in bundle.pieces
        }
        for store in ("attic", "cellar"):
            assert back(client, tmp_path / "back", store) == picture(home)


def test_a_new_full_bundle_comes_when_it_is_time_or_unused_data_is_too_much(
    running: Any, home: Any
) -> None:
    with running.client() as client:
        change(client, max_unused_percent=30)
        (home / "film.bin").write_bytes(os.urandom(200_000))
        assert night(client)[1] == "incremental"
        _, brings, _, log = night(client)
        assert brings == "incremental" or "is unused" in log
        change(client, keep=1, max_unused_percent=5)
        night(client)
        (home / "film.bin").write_bytes(os.urandom(20_000))
        night(client)
        _, brings, _, log = night(client)
        assert brings == "full" and "of the pieces is unused" in log
        assert night(client)[1] == "incremental"
    running.stop()
    with closing(sqlite3.connect(running.home / "records/fasciculus.sqlite")) as db:
        db.execute(
            "UPDATE bundle SET manifest=json_set(manifest, '$.base', '2026-01-02T03:04:05+00:00')"
        )
        db.commit()
    running.start()
    with running.client() as client:
        _, brings, _, log = night(client)
        assert brings == "full" and "days old" in log


def test_contents_are_compared_every_so_many_nights(running: Any, home: Any) -> None:
    with running.client() as client:
        change(client, compare_every=3)
        (home / "folder").mkdir()
        (home / "empty").touch()
        nights = [night(client) for _ in range(6)]
        assert ["contents of all files are compared" in log for *_, log in nights] == [
            False,
            False,
            True,
        ] * 2
        assert [packed > 0 for _, _, packed, _ in nights] == [True] + [False] * 5, (
            "only what is new is stored"
        )
        assert "are compared" in night(client, compare=True)[3]


def test_a_listing_that_was_altered_beside_the_records_costs_a_full_bundle_and_nothing_else(
    running: Any, home: Any, tmp_path: Path
) -> None:
    with running.client() as client:
        (listing,) = (running.home / "listings").rglob("*-nightly.zst")
        listing.write_bytes(listing.read_bytes()[:-7])
        outcome, brings, _, log = night(client)
        assert (outcome, brings) == ("done", "full") and "is damaged" in log
        for store in ("attic", "cellar"):
            assert back(client, tmp_path / "back", store) == picture(home)
