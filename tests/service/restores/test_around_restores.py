"""A bundle first, the hold page and commands around a restore in place."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run, set_up, small_account
from trees import picture

from fasciculus.client import ClientError
from fasciculus.models import HostInput, InPlace, JobInput, RestoreStart


@pytest.fixture
def millpond(running: Any, tmp_path: Path) -> Any:
    """An account on a host with hold flags, with a bundle, and then changed; its home."""
    home = tmp_path / "millpond"
    with running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], folder_stores(tmp_path, "attic"))
        client.hosts_change(
            "reed-1", HostInput(name="reed-1", hold_flag=f"{tmp_path}/hold/{{account}}")
        )
        run(client, "nightly")
    (tmp_path / "hold").mkdir()
    (home / "page-0.html").write_text("changed")
    return home


def test_hold_page_and_commands_are_around_the_exchange_and_its_undo(
    running: Any, millpond: Any, tmp_path: Path
) -> None:
    seen = tmp_path / "seen"
    note = f"ls {tmp_path}/hold >> {seen}; cat {{home}}/page-0.html | head -c 9 >> {seen}"
    options = ("--hold-page", "--before", note, "--after-success", note, "--always", "true")
    done = running.cli("restore", "millpond", "--in-place", *options, "--yes")
    assert done.returncode == 0, done
    assert seen.read_text().split() == ["millpond", "changedmillpond"], "before with the page"
    seen.unlink()
    number = done.stdout.rpartition("undo ")[2].split()[0]
    assert running.cli("restores", "undo", number, "--yes").returncode == 0
    assert seen.read_text().split() == ["millpond", "millpond", "changed"]
    assert not list((tmp_path / "hold").iterdir())


def test_nothing_is_changed_if_the_command_before_fails(
    running: Any, millpond: Any, tmp_path: Path
) -> None:
    before = picture(millpond)
    said = running.cli(
        "restore", "millpond", "--in-place", "--hold-page", "--before", "false", "--yes"
    )
    assert said.returncode == 1 and "The command before the task failed" in said.stderr
    assert picture(millpond) == before
    assert not list((tmp_path / "hold").iterdir())
    assert not list(tmp_path.glob(".fasciculus-restores/*")), "staged data is left"


def test_a_bundle_of_the_present_state_comes_first(running: Any, millpond: Any) -> None:
    saved = picture(millpond)
    done = running.cli("restore", "millpond", "--in-place", "--bundle-first", "--yes")
    assert done.returncode == 0, done
    with running.client() as client:
        rows = client.bundles_list(subject="millpond").items
        assert len(rows) == 2 and "before-a-restore" in rows[0].name
        newest = rows[0].id
    assert (millpond / "page-0.html").read_text().startswith("millpond 0")
    back = running.cli("restore", str(newest), "--in-place", "--yes")
    assert back.returncode == 0, back
    # The folder's own time is that of the restore, as the bundle has it.
    assert {k: v for k, v in picture(millpond).items() if k} == {
        k: v for k, v in saved.items() if k
    }


def test_without_that_bundle_nothing_is_restored(
    running: Any, millpond: Any, tmp_path: Path
) -> None:
    with running.client() as client:
        (bundle,) = client.bundles_list().items
        (loft,) = folder_stores(tmp_path, "loft")
        client.stores_add(loft)
        fields = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
        client.jobs_change("nightly", JobInput.model_validate(fields | {"stores": ["loft"]}))
    # The only store of that bundle cannot be written.
    (tmp_path / "loft").rename(tmp_path / "gone")
    (tmp_path / "loft").write_text("no folder")
    said = running.cli("restore", str(bundle.id), "--in-place", "--bundle-first", "--yes")
    assert said.returncode == 1 and "the bundle of the present state failed" in said.stderr, said
    assert (millpond / "page-0.html").read_text() == "changed"


def test_two_bundles_of_one_second_on_different_stores_have_two_names(
    running: Any, millpond: Any, tmp_path: Path
) -> None:
    with running.client() as client:
        (loft,) = folder_stores(tmp_path, "loft")
        client.stores_add(loft)
        fields = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
        for number in range(6):
            store = ("loft", "attic")[number % 2]
            job = JobInput.model_validate(fields | {"stores": [store], "keep": "forever"})
            client.jobs_change("nightly", job)
            assert run(client, "nightly").outcome == "done"
        names = [row.name for row in client.bundles_list(subject="millpond").items]
        assert len(names) == len(set(names)) == 7


def test_they_belong_to_a_restore_in_place(running: Any, millpond: Any, tmp_path: Path) -> None:
    said = running.cli("restore", "millpond", "--to", str(tmp_path / "back"), "--before", "true")
    assert said.returncode == 2 and "--before" in said.stderr and "--in-place" in said.stderr
    with running.client() as client:
        (bundle,) = client.bundles_list().items
        client.jobs_remove("nightly")
        start = RestoreStart(bundle=bundle.id, in_place=InPlace(), bundle_first=True)
        with pytest.raises(ClientError, match="No job makes bundles of millpond"):
            client.restores_start(start)
