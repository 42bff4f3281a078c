"""Stores where the service's credentials can only add files."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import suppress
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from running import Service, folder_stores, run, set_up, sftp_store, small_account, until
from servers import PASSWORD, USER, moto_place

from fasciculus.client import Client
from fasciculus.client.errors import RefusedError
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import KindSettings, MaintenanceTask, StoreInput

KEEPER = ("keeper", "sluice-and-weir")


@pytest.fixture
def boathouse(tmp_path: Path) -> Iterator[SftpStandIn]:
    """An SFTP server on which only the keeper removes files."""
    found = SftpStandIn(tmp_path / "server", tmp_path / "key", USER, PASSWORD, keeper=KEEPER)
    yield found
    found.close()


def declared(store: StoreInput) -> StoreInput:
    store.append_only = True
    return store


def ended(client: Client, number: int) -> MaintenanceTask:
    until(lambda: client.maintenance_show(number).state == "ended")
    return client.maintenance_show(number)


def files_below(folder: Path) -> dict[str, bytes]:
    return {
        str(path.relative_to(folder)): path.read_bytes()
        for path in sorted(folder.rglob("*"))
        if path.is_file()
    }


def test_nothing_there_is_removed_until_somebody_with_other_credentials_retires(
    running: Service, boathouse: SftpStandIn, tmp_path: Path
) -> None:
    kept = boathouse.root / "bundles"
    with running.client() as client:
        account = small_account(tmp_path, "millpond")
        set_up(client, [account], [declared(sftp_store(boathouse))], keep=1)
        earlier: dict[str, bytes] = {}
        for night in range(3):
            (tmp_path / "millpond" / "new.html").write_text(f"night {night}")
            assert run(client, "nightly").outcome == "done"
            now = files_below(kept)
            assert earlier.items() <= now.items(), "no file changed"
            earlier = now
        assert len(client.bundles_list().items) == 3
        # What a run that was broken off leaves.
        half = kept / "accounts/millpond/bundles/20200101T000000Z"
        half.mkdir()
        (half / "listing.zst").write_bytes(b"half")
        assert run(client, "nightly").outcome == "done" and half.exists()

        said = " ".join(client.stores_show("boathouse").if_stolen)
        assert "could not remove or replace a file" in said and "could add files" in said

        for call in (client.stores_repack, client.stores_seal):
            with pytest.raises(RefusedError, match="is append-only"):
                call("boathouse")
        wrong = {"password": "another"}
        with pytest.raises(RefusedError, match="password") as refused:
            client.stores_retire("boathouse", settings={"user": KEEPER[0]}, secrets=wrong)
        assert refused.value.field and "password" in refused.value.field
        with pytest.raises(RefusedError, match="password"):
            client.stores_retire("boathouse", settings={"user": KEEPER[0]})

        given: dict[str, Any] = {
            "settings": {"user": KEEPER[0]},
            "secrets": {"password": KEEPER[1]},
        }
        (number,) = client.stores_retire("boathouse", **given).ids
        task = ended(client, number)
        assert task.outcome == "done" and task.sentence.startswith("3 copies retired")
        (left,) = client.bundles_list().items
        folders = {path.name for path in (kept / "accounts/millpond/bundles").iterdir()}
        assert folders == {left.name}
        assert not list(kept.glob("fasciculus-try-*")), "nor is there what trying left"
        assert run(client, "nightly").outcome == "done"
        assert client.stores_verify("boathouse", deep=True).ids
        for path in running.home.rglob("*"):
            with suppress(OSError):
                assert not path.is_file() or KEEPER[1].encode() not in path.read_bytes(), path


def test_retiring_by_the_command_line(
    running: Service, boathouse: SftpStandIn, tmp_path: Path
) -> None:
    with running.client() as client:
        account = small_account(tmp_path, "millpond")
        set_up(client, [account], [declared(sftp_store(boathouse))], keep=1)
        for _ in range(2):
            run(client, "nightly")
    secret = tmp_path / "secret"
    secret.write_text(f"{KEEPER[1]}\n")
    said = running.cli(
        "stores", "retire", "boathouse", "--user", KEEPER[0], "--password-file", str(secret)
    )
    assert said.returncode == 0 and "1 copy retired" in said.stdout, said
    shown = running.cli("stores", "show", "boathouse").stdout
    assert "append-only" in shown and "could not remove or replace a file" in shown


def test_a_store_is_append_only_where_its_server_says_so_alone(
    running: Service, tmp_path: Path
) -> None:
    found = SftpStandIn(tmp_path / "server", tmp_path / "key", USER, PASSWORD)
    try:
        with running.client() as client:
            with pytest.raises(RefusedError, match="can replace files there") as refused:
                client.stores_add(declared(sftp_store(found)))
            assert refused.value.field == "append_only"
            client.stores_add(sftp_store(found))
            assert "could remove and replace every file" in " ".join(
                client.stores_show("boathouse").if_stolen
            )
            with pytest.raises(RefusedError, match="not append-only"):
                client.stores_retire("boathouse", secrets={"password": PASSWORD})
    finally:
        found.close()


def test_damage_there_is_repaired_as_far_as_files_are_missing(
    running: Service, boathouse: SftpStandIn, tmp_path: Path
) -> None:
    with running.client() as client:
        stores = [declared(sftp_store(boathouse)), *folder_stores(tmp_path, "attic")]
        set_up(client, [small_account(tmp_path, "millpond")], stores)
        run(client, "nightly")
        bundle = client.bundles_list().items[0].name
        here = boathouse.root / "bundles/accounts/millpond"
        (piece,) = (here / "pieces").iterdir()
        altered = bytes(len(piece.read_bytes()))
        piece.write_bytes(altered)
        os.unlink(here / "bundles" / bundle / "listing.jsonl.zst")
        (number,) = client.stores_verify("boathouse", deep=True).ids
        ended(client, number)
        (repair,) = client.maintenance_list(kind="repair").items
        task = ended(client, repair.id)
        assert task.outcome == "warned"
        log = [line.text for line in client.maintenance_log(repair.id).items]
        assert any("append-only, so that it cannot be replaced" in text for text in log)
        assert (here / "bundles" / bundle / "listing.jsonl.zst").exists()
        assert piece.read_bytes() == altered
        # The next bundle stores the contents again.
        assert run(client, "nightly").outcome == "done"
        row = client.bundles_list().items[0]
        assert all(copy.sound for copy in row.copies)
        with pytest.raises(RefusedError, match="not moved"):
            client.stores_transfer("attic", "boathouse", move=True)


def test_an_object_lock_follows_the_keep_rule(running: Service, tmp_path: Path) -> None:
    with moto_place(tmp_path) as place, running.client() as client:
        values = {**place.spec.settings.model_dump(), "object_lock": "compliance"}
        raw = boto(values)
        raw.create_bucket(Bucket=values["bucket"], ObjectLockEnabledForBucket=True)
        vault = StoreInput(
            name="vault", settings=KindSettings(**values), secrets=dict(place.spec.secrets)
        )
        # These keys may remove, but what is removed is hidden alone.
        set_up(
            client,
            [small_account(tmp_path, "millpond")],
            [declared(vault)],
            keep="2 newest",
            timetable="daily 03:00",
        )
        begun = datetime.now(UTC)
        for _ in range(2):
            assert run(client, "nightly").outcome == "done"
        newest, oldest = sorted(client.bundles_list().items, key=lambda row: row.id, reverse=True)
        # Two more daily runs retire the newest one.
        until_ = newest.copies[0].locked_until
        assert until_ is not None and timedelta(days=1) <= until_ - begun <= timedelta(days=2)
        assert until_.astimezone(UTC).hour == 3
        shown = running.cli("bundles", "show", str(newest.id)).stdout
        assert "locked until" in shown
        for key in keys_of(raw, values["bucket"], "reed-1/accounts/"):
            head = raw.head_object(Bucket=values["bucket"], Key=key)
            assert head["ObjectLockMode"] == "COMPLIANCE", key
            if newest.name in key or "/pieces/" in key:
                assert head["ObjectLockRetainUntilDate"] >= until_.replace(microsecond=0), key
        said = " ".join(client.stores_show("vault").if_stolen)
        assert "Nobody can remove a locked copy" in said
        client.jobs_change("nightly", client.jobs_show("nightly").model_copy(update={"keep": 1}))
        (number,) = client.stores_retire("vault", secrets=dict(place.spec.secrets)).ids
        task = ended(client, number)
        assert "0 copies retired" in task.sentence and "2 copies are locked still" in task.sentence
        assert {row.id for row in client.bundles_list().items} == {newest.id, oldest.id}


def boto(values: dict[str, Any]) -> Any:
    import boto3

    return boto3.session.Session().client(
        "s3",
        endpoint_url=values["endpoint"],
        region_name="us-east-1",
        aws_access_key_id="HERONMERE",
        aws_secret_access_key=PASSWORD,
    )


def keys_of(raw: Any, bucket: str, prefix: str) -> list[str]:
    return [row["Key"] for row in raw.list_objects_v2(Bucket=bucket, Prefix=prefix)["Contents"]]
