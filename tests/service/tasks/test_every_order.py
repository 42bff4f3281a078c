"""Every kind of order, carried out by a worker that shares nothing with the service."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any, get_args

import pytest
from distant_workers import DistantWorkers, values_of
from running import folder_stores, run, service, set_up, sftp_store, small_account, until

from fasciculus.client.client import Client
from fasciculus.contracts.artifacts import Artifact, resolved
from fasciculus.contracts.order_lines import from_line
from fasciculus.contracts.orders import Order
from fasciculus.contracts.sealed_secrets import WorkerIdentity
from fasciculus.core.restore.actions import Action
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import InPlace, JobInput, Relocation, Restore, RestoreStart, RestoreUndo
from fasciculus.models.maintenance import MaintenanceStarted, MaintenanceTask
from fasciculus.service import main as program


@pytest.fixture
def boathouse(tmp_path: Path) -> Iterator[SftpStandIn]:
    found = SftpStandIn(tmp_path / "boathouse", tmp_path / "host-key", "fasciculus", "oar-and-rope")
    yield found
    found.close()


def ended(client: Client, started: MaintenanceStarted) -> Any:
    for number in started.ids:
        task = until(lambda number=number: _ended(client.maintenance_show(number)))  # type: ignore[misc]
        assert task.outcome in ("done", "warned"), task
    return task


def _ended(task: Restore | MaintenanceTask) -> Restore | MaintenanceTask | None:
    return task if task.state == "ended" else None


def put_back(client: Any, bundle: Any) -> None:
    """Restore in place; undo that, and do it again."""

    def done(started: Any) -> Any:
        row = until(lambda: _ended(client.restores_show(started.id)))
        assert row.outcome == "done", row
        return started.id

    start = RestoreStart(bundle=bundle, in_place=InPlace())
    number = done(client.restores_start(start))
    (line,) = client.restores_plan(number).items
    assert (line.action, line.path) == (Action.REPLACE, "page-1.html")
    done(client.restores_undo(number, RestoreUndo()))
    done(client.restores_drop(number))
    done(client.restores_start(start, "again"))
    place = Relocation(
        account="millpond", to_folder="copy", texts={"millpond": "ferry"}, files=["*.html"]
    )
    moved = RestoreStart(bundle=bundle, in_place=InPlace(), relocation=place)
    done(client.restores_start(moved))


def test_every_kind_of_order_is_carried_out_elsewhere(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, boathouse: SftpStandIn
) -> None:
    home = tmp_path / "home"
    workers = DistantWorkers(home, tmp_path / "distant")
    monkeypatch.setattr(program, "WorkerPool", lambda: workers)
    records = {"FASCICULUS_RECORDS_STORES": "all"}
    with service(home, **records) as running, running.client() as client:
        account = small_account(tmp_path, "millpond")
        attic, loft = folder_stores(tmp_path, "attic", "loft")
        stores = [attic, sftp_store(boathouse, password="oar-and-rope")]
        set_up(client, [account], stores, mode="incremental", hold_page=False)
        client.stores_add(loft)
        for _ in range(2):
            assert run(client, "nightly").outcome == "done"
        fields = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
        preview = client.previews_start(JobInput(**fields), "millpond")
        until(lambda: client.previews_show(preview.id).state != "running")
        newest = client.bundles_list().items[0]
        target = tmp_path / "back"
        restore = client.restores_start(RestoreStart(bundle=newest.id, target=str(target)))
        assert until(lambda: _ended(client.restores_show(restore.id))).outcome == "done"
        assert (target / "files/page-1.html").read_text().startswith("millpond 1")
        (tmp_path / "millpond/page-1.html").write_text("hacked")
        put_back(client, newest.id)
        assert (tmp_path / "millpond/page-1.html").read_text().startswith("millpond 1")
        assert (tmp_path / "millpond/copy/page-1.html").read_text().startswith("ferry 1")
        assert ended(client, client.stores_verify("attic", deep=True)).outcome == "done"
        piece = next((tmp_path / "attic/accounts/millpond/pieces").iterdir())
        piece.write_bytes(b"altered")
        ended(client, client.stores_verify("attic", deep=True))
        ended(client, client.stores_repack("attic", over=0))
        ended(client, client.stores_transfer("loft", source="attic"))
        sealed = loft.model_copy(update={"recipients": [client.keys_make(keep=True).recipient]})
        client.stores_change("loft", sealed)
        ended(client, client.stores_seal("loft"))
        until(lambda: not client.damage_list().items)
        ended(client, client.stores_import("boathouse"))
        guarded = sftp_store(boathouse, password="oar-and-rope")
        guarded.append_only = True
        client.stores_change("boathouse", guarded, untried=True)
        secret = {"password": "oar-and-rope"}
        ended(client, client.stores_retire("boathouse", secrets=secret))
    kinds = {kind.__name__ for kind in get_args(Order)} - {"ReleaseOrder", "RecoverOrder"}
    assert set(workers.lines) == kinds
    for kind, line in workers.lines.items():
        for text in values_of(line):
            assert "oar-and-rope" not in text, kind
            assert str(home) not in text and "AGE-SECRET-KEY" not in text, kind
        if kind not in ("PreviewOrder", "UndoOrder", "DropOrder"):  # without any secret
            with pytest.raises(ValueError, match="another worker"):
                from_line(line, WorkerIdentity(), workers.folders)


@pytest.mark.parametrize(
    "reference",
    ["home/../records", "home//etc/passwd", "/etc/passwd", "home", "home/", "keys/x", "home/a\0b"],
)
def test_no_other_path_is_reached_by_a_reference(reference: str, tmp_path: Path) -> None:
    with pytest.raises(ValueError, match="no artifact"):
        resolved(reference, {"home": str(tmp_path), "spool": str(tmp_path)})


def test_a_reference_names_the_same_wherever_it_lies(tmp_path: Path) -> None:
    here = Artifact.within("home", tmp_path / "a", tmp_path / "a/listings/x.zst")
    there = resolved(here.reference, {"home": str(tmp_path / "b")})
    assert (here, there) == (str(tmp_path / "a/listings/x.zst"), str(tmp_path / "b/listings/x.zst"))
    assert there.reference == here.reference == "home/listings/x.zst"
    folder = Artifact.within("home", tmp_path, tmp_path)
    assert resolved(folder.reference, {"home": str(tmp_path)}) == str(tmp_path)
    with pytest.raises(ValueError, match="no folder"):
        resolved("spool/task-1", {"home": str(tmp_path)})
