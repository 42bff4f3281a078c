"""Recoveries of a lost host: in order, stopped and continued, with a truthful account."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run, set_up, small_account, until
from trees import picture

from fasciculus.client import NotFoundError, RefusedError
from fasciculus.models import HostInput, InPlace, JobInput, RecoveryStart, RestoreStart


@pytest.fixture
def valley(running: Any, tmp_path: Path) -> Path:
    """Two accounts with a bundle each, and one without."""
    names = ("bitternpress", "millpond", "reedcutter")
    accounts = [small_account(tmp_path / "valley", name) for name in names]
    with running.client() as client:
        set_up(client, accounts[:2], folder_stores(tmp_path, "attic"))
        assert run(client, "nightly").outcome == "done"
        client.accounts_add(accounts[2])
    return tmp_path / "valley"


def states(running: Any, number: int) -> dict[str, str]:
    with running.client() as client:
        return {row.name: row.state for row in client.recoveries_show(number).subjects}


def test_what_fails_is_tried_again_and_what_is_back_stays(running: Any, valley: Path) -> None:
    before = picture(valley / "millpond")
    for name in ("millpond", "bitternpress"):
        shutil.rmtree(valley / name)
    pieces = next((valley.parent / "attic/accounts/bitternpress/pieces").iterdir())
    kept = pieces.read_bytes()
    pieces.write_bytes(kept[:20] + b"damaged" + kept[27:])
    said = running.cli("recoveries", "run", "reed-1", "--first", "millpond", "--yes")
    assert said.returncode == 1, said
    assert "account bitternpress: ■ failed" in said.stdout
    assert said.stdout.index("account millpond: ") < said.stdout.index("account bitternpress: ■")
    assert "Back: 1 of 3 subjects of reed-1. Try the others again" in said.stdout
    assert states(running, 1)["reedcutter"] == "no bundle"
    assert picture(valley / "millpond") == before
    again = (valley / "millpond/page-0.html").stat().st_ino

    pieces.write_bytes(kept)
    with running.client() as client:
        until(lambda: not client.maintenance_list(state="running").items)
        client.stores_verify("attic", deep=True)
    until(lambda: states(running, 1)["bitternpress"] == "failed")
    said = running.cli("recoveries", "run", "reed-1", "--yes")
    assert "Back: 2 of 3 subjects of reed-1. The recovery has ended" in said.stdout, said
    assert "account millpond: " not in said.stdout, "it was back already"
    assert (valley / "millpond/page-0.html").stat().st_ino == again
    assert said.returncode == 1, "one account has no bundle, and that is said"
    listed = running.cli("recoveries", "list").stdout
    assert "reed-1" in listed and "not yet" not in listed


def test_no_run_begins_on_a_host_that_is_being_recovered(running: Any, valley: Path) -> None:
    with running.client() as client:
        number = client.recoveries_start(RecoveryStart(host="reed-1")).id
        with pytest.raises(RefusedError, match="open already"):
            client.recoveries_start(RecoveryStart(host="reed-1"))
        with pytest.raises(NotFoundError):
            client.recoveries_start(RecoveryStart(host="reed-9"))
        waiting = client.start("nightly").id
        bundle = client.bundles_list(subject="millpond").items[0].id
        back = client.restores_start(RestoreStart(bundle=bundle, in_place=InPlace())).id
        until(lambda: client.restores_show(back).state == "ended")
        assert client.runs_show(waiting).state == "queued", "restores do not wait, runs do"
        assert "reed-1 is being recovered" in running.cli("status").stdout
        client.recoveries_end(number)
        with pytest.raises(RefusedError, match="ended already"):
            client.recoveries_end(number)
        until(lambda: client.runs_show(waiting).state == "ended")
        assert states(running, number)["millpond"] == "back", "as it was when it ended"


def test_only_missing_settings_of_a_host_come_back(running: Any, valley: Path) -> None:
    folder = valley.parent / "etc"
    folder.mkdir()
    for name in ("a.conf", "b.conf", "c.txt"):
        (folder / name).write_text(name)
    with running.client() as client:
        found = client.hosts_show("reed-1").model_dump()
        host = HostInput(**{key: found[key] for key in HostInput.model_fields if key in found})
        host.system = [f"{folder}/*"]
        client.hosts_change("reed-1", host)
        client.jobs_add(
            JobInput(
                name="machines",
                subjects="hosts",
                contents=["system"],
                stores=["attic"],
                timetable="by hand",
            )
        )
        assert run(client, "machines").outcome == "done"
        host.system = [f"{folder}/*.conf"]
        client.hosts_change("reed-1", host)
    for name in ("a.conf", "c.txt"):
        (folder / name).unlink()
    (folder / "b.conf").write_text("changed since")
    said = running.cli("restore", "reed-1", "--contents", "system", "--in-place", "--plan")
    assert said.returncode == 2 and "--whole-account" in said.stderr
    words = ("restore", "reed-1", "--in-place", "--whole-account")
    said = running.cli(*words, "--plan")
    assert "a.conf" in said.stdout and not (folder / "a.conf").exists(), said
    said = running.cli(*words, "--yes")
    assert (folder / "a.conf").read_text() == "a.conf", said
    assert (folder / "b.conf").read_text() == "changed since"
    assert not (folder / "c.txt").exists(), "no pattern of the host names it now"
