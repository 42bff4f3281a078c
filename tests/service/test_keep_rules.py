"""A keep rule is one job's own."""

from __future__ import annotations

from pathlib import Path

from running import Service, folder_stores, run, set_up, small_account

from fasciculus.client.client import Client
from fasciculus.models import JobInput


def names(client: Client, job: str) -> list[str]:
    return [row.name for row in client.every(client.bundles_list, job=job)]


def test_a_keep_rule_never_touches_the_copies_of_another_job(
    running: Service, tmp_path: Path
) -> None:
    with running.client() as client:
        stores = folder_stores(tmp_path, "attic", "cellar")
        set_up(client, [small_account(tmp_path, "millpond")], stores, keep=1)
        used = [store.name for store in stores]
        client.jobs_add(JobInput(name="monthly", contents=["files"], stores=used, keep=3))
        for job in ("nightly", "monthly", "nightly", "monthly", "nightly"):
            assert run(client, job).outcome == "done"
        assert len(names(client, "nightly")) == 1 and len(names(client, "monthly")) == 2
        for row in client.bundles_list().items:
            assert sorted(copy.store for copy in row.copies) == sorted(used)
        for store in used:
            assert not client.jobs_retiring("monthly", "3").items
            folder = tmp_path / store / "accounts/millpond/bundles"
            assert sorted(path.name for path in folder.iterdir()) == sorted(
                names(client, "nightly") + names(client, "monthly")
            )
