"""Restores in place by the service and the command line: plan, carry out, undo, drop, recover."""

from __future__ import annotations

import json
import os
import sqlite3
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run, service, set_up, small_account, until
from trees import picture

from fasciculus.client import ClientError
from fasciculus.core.restore.restore_kind import RestoreKind, SetAside
from fasciculus.hosts.side_folder import NAME
from fasciculus.models import HostInput, InPlace, RestoreStart, RestoreUndo


@pytest.fixture
def millpond(running: Any, tmp_path: Path) -> Any:
    """An account with a bundle, and then disturbed; its home."""
    with running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], folder_stores(tmp_path, "attic"))
        run(client, "nightly")
    return tmp_path / "millpond"


def disturb(home: Any) -> Any:
    (home / "page-0.html").write_text("hacked")
    (home / "page-1.html").unlink()
    (home / "shell.php").write_text("x")
    return picture(home)


def ended(client: Any, number: Any) -> Any:
    return until(lambda: (r := client.restores_show(number)).state == "ended" and r)


def sides(home: Any) -> Any:
    folder = home.parent / os.fsdecode(NAME)
    return sorted(os.listdir(folder)) if folder.exists() else []


def test_on_a_host_over_ssh_as_here(running: Any, openssh: Any, tmp_path: Path) -> None:
    spec, account = openssh.host(), small_account(tmp_path, "millpond")
    connection = {"kind": "ssh", "address": spec.address, "port": spec.port, "user": spec.user}
    host = HostInput(
        name="reed-2",
        connection={**connection, "host_key": spec.host_key},
        secrets={"private_key": openssh.key},
    )
    home = tmp_path / "millpond"
    with running.client() as client:
        client.hosts_add(host)
        account.host = "reed-2"
        set_up(client, [account], folder_stores(tmp_path, "attic"))
        run(client, "nightly")
        saved = picture(home)
        before = disturb(home)
        done = running.cli("restore", "millpond", "--in-place", "--remove-extra", "--yes")
        assert done.returncode == 0 and picture(home) == saved, done
        number = client.restores_list(limit=1).items[0].id
        assert running.cli("restores", "undo", str(number), "--yes").returncode == 0
        assert picture(home) == before
        assert running.cli("restores", "drop", str(number), "--yes").returncode == 0
        assert sides(home) == []


def test_by_the_command_line_from_the_plan_to_dropping(running: Any, millpond: Any) -> None:
    saved = picture(millpond)
    before = disturb(millpond)
    shown = running.cli("restore", "millpond", "--in-place", "--plan", "--remove-extra")
    assert shown.returncode == 0, shown
    for words in (
        "replace  page-0.html",
        "create   page-1.html",
        "remove   shell.php",
        "1 removed",
    ):
        assert words in shown.stdout, shown.stdout
    assert picture(millpond) == before
    done = running.cli("restore", "millpond", "--in-place", "--remove-extra", "--yes")
    assert done.returncode == 0 and "restores undo 3" in done.stdout, done
    assert picture(millpond) == saved and len(sides(millpond)) == 1
    (_, row, _) = json.loads(running.cli("restores", "list", "--json").stdout)[-3:]
    plan = running.cli("restores", "plan", "3", "--action", "remove")
    assert "shell.php" in plan.stdout and "page-0.html" not in plan.stdout
    (millpond / "page-0.html").write_text("edited since")
    refused = running.cli("restores", "undo", "3", "--yes")
    assert refused.returncode == 1 and "page-0.html" in refused.stderr, refused
    assert (millpond / "page-0.html").read_text() == "edited since"
    undone = running.cli("restores", "undo", "3", "--yes", "--force")
    assert undone.returncode == 0 and picture(millpond) == before, undone
    assert running.cli("restores", "undo", "3", "--yes").returncode == 2
    assert "undone" in running.cli("restores", "list").stdout
    dropped = running.cli("restores", "drop", "3", "--yes")
    assert dropped.returncode == 0 and sides(millpond) == [], dropped
    assert row


def test_the_newest_bundle_at_a_time_is_chosen(running: Any, millpond: Any) -> None:
    with running.client() as client:
        first = client.bundles_list().items[0]
        disturb(millpond)
        run(client, "nightly")
        newest = client.bundles_list(subject="millpond", limit=1).items[0]
        assert newest.id != first.id
        earlier = first.moment - timedelta(days=2)
        with running.parts.records.write() as db:
            db.execute("UPDATE bundle SET moment=? WHERE id=?", (earlier.isoformat(), first.id))
        for at, number in ((None, newest.id), ("yesterday", first.id)):
            more = ("--at", at) if at else ()
            shown = json.loads(running.cli("bundles", "show", "millpond", *more, "--json").stdout)
            assert shown["id"] == number
        early = running.cli("bundles", "files", "millpond", "--at", "2020-01-01")
        assert early.returncode == 2 and "no bundle of millpond with files at or before" in (
            early.stderr
        )
        assert running.cli("bundles", "show", str(first.id)).returncode == 0
        none = running.cli("restore", "millpond", "--in-place", "--contents", "mail")
        assert none.returncode == 2 and "no bundle of millpond with mail" in none.stderr


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"target": "/srv/back"}, "in_place"),
        ({"databases": {"x": "y"}}, "in_place"),
        ({"in_place": None, "plan_only": True}, "plan_only"),
    ],
)
def test_what_does_not_go_together_is_refused(
    running: Any, millpond: Any, change: Any, field: Any
) -> None:
    with running.client() as client:
        (bundle,) = client.bundles_list().items
        start = {"bundle": bundle.id, "in_place": InPlace(), **change}
        with pytest.raises(ClientError) as caught:
            client.restores_start(RestoreStart(**start))
        assert caught.value.field in (field, "databases")
        with pytest.raises(ClientError):
            client.restores_undo(1, RestoreUndo())


def test_what_is_set_aside_goes_when_its_time_is_over(running: Any, millpond: Any) -> None:
    disturb(millpond)
    with running.client() as client:
        (bundle,) = client.bundles_list().items
        number = client.restores_start(RestoreStart(bundle=bundle.id, in_place=InPlace())).id
        row = ended(client, number)
        assert (row.outcome, row.aside) == ("done", SetAside.KEPT)
        assert row.aside_until == row.ended + timedelta(days=14)
        running.parts.tasks.drop_expired()
        assert len(sides(millpond)) == 1, "not yet"
        with running.parts.records.write() as db:
            old = (datetime.now(UTC) - timedelta(days=15)).isoformat()
            db.execute("UPDATE restore SET ended=? WHERE id=?", (old, number))
        running.parts.tasks.drop_expired()
        assert until(lambda: client.restores_show(number).aside == SetAside.GONE)
        assert sides(millpond) == []
        step = client.restores_list(limit=1).items[0]
        assert (step.kind, step.of_restore) == (RestoreKind.DROP, number)
        # What an undo has set aside goes when that undo is as old.
        (millpond / "page-1.html").write_text("changed again")
        number = client.restores_start(RestoreStart(bundle=bundle.id, in_place=InPlace())).id
        assert ended(client, number).aside == SetAside.KEPT
        undo = client.restores_undo(number, RestoreUndo(force=True)).id
        assert ended(client, undo).outcome == "done"
        for ends, is_gone in ((number, False), (undo, True)):
            with running.parts.records.write() as db:
                db.execute("UPDATE restore SET ended=? WHERE id=?", (old, ends))
            running.parts.tasks.drop_expired()
            if is_gone:
                assert until(lambda: client.restores_show(number).aside == SetAside.GONE)
            assert client.restores_list(limit=1).items[0].kind == (
                RestoreKind.DROP if is_gone else RestoreKind.UNDO
            )
        assert sides(millpond) == []


@pytest.mark.parametrize("interrupted", ["switching", "staging"])
def test_a_restore_that_was_interrupted_is_finished_or_rolled_back(
    tmp_path: Path, interrupted: Any
) -> None:
    """As after a power cut: the records say that it runs, and the side folder is half switched."""
    home = tmp_path / "millpond"
    with service(tmp_path / "home") as running:
        client = running.client()
        set_up(client, [small_account(tmp_path, "millpond")], folder_stores(tmp_path, "attic"))
        client.hosts_change(
            "reed-1", HostInput(name="reed-1", hold_flag=f"{tmp_path}/hold/{{account}}")
        )
        run(client, "nightly")
        before = disturb(home)
        (bundle,) = client.bundles_list().items
        start = RestoreStart(bundle=bundle.id, in_place=InPlace(), hold_page=True)
        number = client.restores_start(start).id
        assert ended(client, number).outcome == "done"
        restored = picture(home)
        running.stop()
        half_switched(home, interrupted)
        flag = tmp_path / "hold/millpond"
        flag.parent.mkdir(exist_ok=True)
        flag.touch()
        with sqlite3.connect(tmp_path / "home/records/fasciculus.sqlite") as db:
            db.execute(
                "UPDATE restore SET state='running', outcome=NULL, ended=NULL, aside='' WHERE id=?",
                (number,),
            )
        running.start()
        client = running.client()
        row = until(lambda: (r := client.restores_show(number)).error.startswith("It was") and r)
        log = [line.text for line in client.restores_log(number).items]
        assert not flag.exists(), "the hold page stays"
        if interrupted == "switching":
            assert (row.outcome, row.aside) == ("warned", SetAside.KEPT)
            assert "finished" in row.error and any("was finished" in text for text in log)
            assert picture(home) == restored
            step = client.restores_undo(number, RestoreUndo()).id
            assert ended(client, step).outcome == "done" and picture(home) == before
        else:
            assert (row.outcome, row.aside) == ("failed", SetAside.GONE)
            assert "nothing was changed" in row.error and sides(home) == []


def half_switched(home: Any, state: Any) -> None:
    """Take two of the changes back that a restore has made."""
    (name,) = sides(home)
    side = home.parent / os.fsdecode(NAME) / name
    for path in ("page-0.html", "page-1.html"):
        os.rename(home / path, side / "new" / path)
        if (side / "old" / path).exists():
            os.rename(side / "old" / path, home / path)
    (side / "state").write_text(json.dumps({"state": state}))


def test_people_hear_before_what_was_set_aside_is_removed(running: Any, millpond: Any) -> None:
    disturb(millpond)
    assert running.cli("restore", "millpond", "--in-place", "--yes").returncode == 0
    now = datetime.now(UTC)

    def told(days: float) -> Any:
        found = running.parts.watch.found(now + timedelta(days=days))
        return [row.text for row in found if row.check == "set aside"]

    assert told(0) == told(11.9) == []
    (text,) = told(12.5)
    assert "can no longer be undone" in text and "millpond" in text
