"""A new installation in front of a store, and two services on one."""

import pytest
from running import folder_stores, run, service, set_up, sftp_store, small_account
from trees import picture

from fasciculus.client import RefusedError


def test_all_is_there_again_and_restores_after_one_command(tmp_path, stand_in):
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
        assert "account millpond" in said.stdout and "job nightly, switched off" in said.stdout
        client = new.client()
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
        assert new.cli("stores", "take-over", "boathouse", "--yes").returncode == 0
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


def test_odd_things_on_a_store_cost_themselves_alone(tmp_path):
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
