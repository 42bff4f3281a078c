"""A new installation in front of a store, and two services on one."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run, service, set_up, sftp_store, small_account, until
from trees import picture

from fasciculus.client import RefusedError
from fasciculus.client.client import Client
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import HostInput, JobInput, Site
from fasciculus.models.stores import StoreInput


def test_all_is_there_again_and_restores_after_one_command(
    tmp_path: Path, stand_in: SftpStandIn
) -> None:
    accounts = [small_account(tmp_path / "valley", name) for name in ("millpond", "ferryline")]
    with service(tmp_path / "old") as old:
        client = old.client()
        set_up(client, accounts, [sftp_store(stand_in)], mode="incremental")
        assert run(client, "nightly").outcome == "done"
        (tmp_path / "valley/millpond/page-0.html").write_text("another night")
        assert run(client, "nightly").outcome == "done"
        before = {(b.subject, b.name) for b in client.every(client.bundles_list)}
    with service(tmp_path / "new") as new:
        password = tmp_path / "password"
        password.write_text(stand_in.password)
        said = new.cli(
            *("stores", "add", "boathouse", "--kind", "sftp", "--address", "127.0.0.1"),
            *("--port", str(stand_in.port), "--user", stand_in.user, "--folder", "/bundles"),
            *("--host-key", stand_in.host_key, "--password-file", str(password), "--import"),
        )
        assert said.returncode == 0, said
        assert "4 bundles of 2 subjects found" in said.stdout, said.stdout
        assert "Proposed: 1 host, 2 accounts and 1 job." in said.stdout, said.stdout
        client = new.client()
        assert not client.accounts_list().items and not client.jobs_list().items
        said = new.cli("stores", "accept", "boathouse", "--all")
        assert said.returncode == 0, said
        assert f"account millpond ({accounts[0].home} on reed-1)" in said.stdout, said.stdout
        assert "job nightly, switched off" in said.stdout
        assert client.stores_proposals("boathouse").items == []
        assert client.hosts_show("reed-1").where == "not connected yet"
        started = client.start("nightly").id
        ended = until(lambda: (r := client.runs_show(started)).state == "ended" and r)
        assert "is not connected yet" in ended.tasks[0].error, "its paths are not this machine's"
        assert new.cli("hosts", "change", "reed-1", "--kind", "local").returncode == 0
        assert {(b.subject, b.name) for b in client.every(client.bundles_list)} == before
        assert client.accounts_show("millpond").home == accounts[0].home
        job = client.jobs_show("nightly")
        assert not job.enabled and job.contents == ["files"] and job.mode == "incremental"
        newest = client.bundles_list(subject="millpond", limit=1).items[0]
        target = tmp_path / "back"
        said = new.cli("restore", str(newest.id), "--to", str(target))
        assert said.returncode == 0, said
        assert picture(target / "files") == picture(tmp_path / "valley/millpond")
        # Importing again finds nothing new.
        assert new.cli("stores", "import", "boathouse").returncode == 0
        assert client.bundles_list().total == 4
        # It is another service's: read only, until it is taken over.
        assert client.stores_show("boathouse").owner
        with pytest.raises(RefusedError, match="read only"):
            client.jobs_change("nightly", job.model_copy(update={"enabled": True}))
        assert run(client, "nightly").outcome == "failed"
        assert new.cli("stores", "claim", "boathouse", "--yes").returncode == 0
        assert run(client, "nightly").outcome == "done"
        assert not client.stores_show("boathouse").owner
    old.start()
    try:
        client = old.client()
        ended = run(client, "nightly")
        assert ended.outcome == "failed", "two services on one store are noticed"
        assert "is used by the Fasciculus on" in ended.tasks[0].error
        assert client.bundles_list().total == 4, "and nothing is lost by that"
    finally:
        old.stop()


def test_odd_things_on_a_store_cost_themselves_alone(tmp_path: Path) -> None:
    with service(tmp_path / "old") as old:
        client = old.client()
        (attic,) = folder_stores(tmp_path, "attic")
        set_up(client, [small_account(tmp_path / "valley", "millpond")], [attic])
        assert run(client, "nightly").outcome == "done"
    bundles = tmp_path / "attic/accounts/millpond/bundles"
    (name,) = [path.name for path in bundles.iterdir()]
    for odd in ("2026-11-24T021500Z-odd", "not a bundle"):
        (bundles / odd).mkdir()
        (bundles / odd / "bundle.json").write_bytes((bundles / name / "bundle.json").read_bytes())
    (bundles / "2026-11-25T021500Z-half").mkdir()
    (tmp_path / "attic/accounts/Übel; rm -rf").mkdir()
    with service(tmp_path / "new") as new:
        client = new.client()
        client.stores_add(attic)
        said = new.cli("stores", "import", "attic")
        assert "1 bundle of 1 subject found; 3 things could not be read" in said.stdout, said
        assert [b.name for b in client.every(client.bundles_list)] == [name]


def hostile_bundle(tmp_path: Path, **changes: Any) -> StoreInput:
    """A store written by an attacker, with one bundle whose manifest says anything."""
    with service(tmp_path / "old") as old:
        client = old.client()
        (attic,) = folder_stores(tmp_path, "attic")
        set_up(client, [small_account(tmp_path / "valley", "millpond")], [attic])
        assert run(client, "nightly").outcome == "done"
    bundles = tmp_path / "attic/accounts/millpond/bundles"
    (path,) = bundles.glob("*/bundle.json")
    document = json.loads(path.read_text())
    path.unlink()
    path.write_text(json.dumps({**document, **changes}))
    return attic


def test_a_store_does_not_choose_what_root_reads(tmp_path: Path) -> None:
    """Its accounts name an existing host and a root of their choice; a job takes all accounts."""
    secret = tmp_path / "secret"
    secret.mkdir()
    (secret / "shadow").write_text("of root")
    attic = hostile_bundle(
        tmp_path,
        origin={
            "root": str(secret), "account": "millpond", "sites": {"x.example": f"{secret}/x"},
            "mail_domains": ["ferryline.example"],
        },
        databases=[{"engine": "mariadb", "name": "shop"}],
    )  # fmt: skip
    with service(tmp_path / "new") as new:
        client = new.client()
        client.stores_add(attic)
        client.stores_claim("attic")
        account = small_account(tmp_path / "here", "ferryline")
        client.hosts_add(HostInput(name="reed-1"))
        client.accounts_add(account)
        job = JobInput(name="nightly", stores=["attic"], timetable="by hand", contents=["files"])
        client.jobs_add(job)
        assert new.cli("stores", "import", "attic").returncode == 0
        assert [a.name for a in client.accounts_list().items] == ["ferryline"]
        ended = run(client, "nightly")
        assert [task.subject for task in ended.tasks] == ["ferryline"]
        table = new.cli("stores", "proposals", "attic").stdout
        assert str(secret) in table.replace("\n", "") and "another, or unknown" in table
        refused = new.cli("stores", "accept", "attic", "--all")
        assert refused.returncode == 1 and "do not vouch" in refused.stderr, refused
        assert [a.name for a in client.accounts_list().items] == ["ferryline"]
        home = tmp_path / "here/millpond"
        home.mkdir()
        said = new.cli(
            "stores", "accept", "attic", "--account", "millpond", "--home", f"millpond={home}"
        )
        assert said.returncode == 0, said
        found = client.accounts_show("millpond")
        assert found.home == str(home)
        assert found.sites == found.databases == found.mail_domains == []
        assert new.cli("stores", "accept", "attic", "--account", "millpond").returncode == 2


def test_a_clash_costs_one_account_and_is_said(tmp_path: Path) -> None:
    """Another account has the site by now: the import and the other proposals go on."""
    valley = tmp_path / "valley"
    accounts = [small_account(valley, name) for name in ("ferryline", "millpond")]
    for account in accounts:
        account.sites = [Site(name=f"{account.name}.example", root=account.home)]
    with service(tmp_path / "old") as old:
        client = old.client()
        (attic,) = folder_stores(tmp_path, "attic")
        set_up(client, accounts, [attic])
        assert run(client, "nightly").outcome == "done"
    with service(tmp_path / "new") as new:
        client = new.client()
        client.hosts_add(HostInput(name="reed-2"))
        taken = small_account(tmp_path / "other", "lanternchoir")
        taken.host = "reed-2"
        taken.sites = [Site(name="ferryline.example", root=taken.home)]
        client.accounts_add(taken)
        client.stores_add(attic)
        assert new.cli("stores", "import", "attic").returncode == 0
        assert client.bundles_list().total == 2
        said = new.cli("stores", "accept", "attic", "--all")
        assert said.returncode == 1 and "account ferryline: " in said.stderr, said
        assert "account millpond" in said.stdout and "job nightly" in said.stdout
        assert [p.name for p in client.stores_proposals("attic").items] == ["ferryline"]
        said = new.cli("stores", "dismiss", "attic", "--account", "ferryline", "--yes")
        assert said.returncode == 0 and not client.stores_proposals("attic").items


def imported(client: Client, number: int) -> Any:
    return until(lambda: (r := client.maintenance_show(number)).state == "ended" and r)


def test_settings_come_back_from_a_copy_of_the_records(
    tmp_path: Path, stand_in: SftpStandIn
) -> None:
    """With the key of the lost service: hosts, other stores, and jobs as they were."""
    accounts = [small_account(tmp_path / "valley", name) for name in ("millpond", "ferryline")]
    with service(tmp_path / "old", FASCICULUS_RECORDS_STORES="all") as old:
        client = old.client()
        set_up(
            client,
            accounts,
            [sftp_store(stand_in), *folder_stores(tmp_path, "attic")],
            timetable="daily 03:30",
            keep="5 daily",
            report_to=["duty@sedge-quill.example"],
        )
        account = client.accounts_show("millpond")
        client.accounts_change("millpond", account.model_copy(update={"tags": ["duty"]}))
        both = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
        weekly = {**both, "name": "weekly", "stores": ["boathouse"], "contents": ["files"]}
        client.jobs_add(
            JobInput(
                **weekly,
            )
        )
        assert run(client, "weekly").outcome == run(client, "nightly").outcome == "done"
        old.parts.housekeeper.copy_records()
        assert list((stand_in.root / "bundles/records").glob("*.records"))
        rows = client.overview().attention
        assert not any("copy of the records" in row.text for row in rows), rows
    key = (tmp_path / "old/keys/secrets.key").read_bytes()
    for name, is_ours in (("new", True), ("stranger", False)):
        if is_ours:
            (tmp_path / name / "keys").mkdir(parents=True)
            (tmp_path / name / "keys/secrets.key").write_bytes(key)
        with service(tmp_path / name) as new:
            client = new.client()
            client.stores_add(sftp_store(stand_in))
            (number,) = client.stores_import("boathouse").ids
            done = imported(client, number)
            log = " ".join(line.text for line in client.maintenance_log(number).items)
            rows = {(p.kind, p.name): p for p in client.stores_proposals("boathouse").items}  # type: ignore[assignment]
            assert ("job", "nightly") in rows and ("job", "weekly") in rows, (
                "of each of its bundles"
            )
            assert all("sealed" not in row.document for row in rows.values())  # type: ignore[attr-defined]
            if not is_ours:
                assert "The key does not open this copy" in log and "Bring back keys" in log
                assert not any(row.with_settings for row in rows.values())  # type: ignore[attr-defined]
                continue
            assert "1 store" in done.sentence and rows["store", "attic"].with_settings  # type: ignore[call-overload]
            made = new.cli("stores", "accept", "boathouse", "--all")
            assert made.returncode == 0 and "host reed-1, unchanged" in made.stdout, made
            assert "job nightly unchanged, but disabled" in made.stdout
            job = client.jobs_show("nightly")
            assert (job.timetable, job.keep, job.enabled) == ("daily 03:30", "5 daily", False)
            assert job.report_to == ["duty@sedge-quill.example"]
            assert (
                job.stores == ["boathouse", "attic"]
                and client.jobs_show("weekly").keep == "5 daily"
            )
            assert client.accounts_show("millpond").tags == ["duty"]
            assert client.hosts_show("reed-1").connection.kind == "local"
            assert client.stores_show("attic").tried is None, "it is to be tried"
