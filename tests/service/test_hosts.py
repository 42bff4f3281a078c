"""Hosts, discovery, previews, coverage and definitions through the service."""

from __future__ import annotations

import json
import os
import sqlite3
import time
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from running import Service, run, set_up, small_account, until
from trees import awkward_tree, picture

from fasciculus.client import NotFoundError, RefusedError
from fasciculus.client.client import Client
from fasciculus.config import load
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import (
    AccountInput,
    Command,
    DiscoveryRules,
    HostInput,
    JobInput,
    Note,
    RestoreStart,
    Rules,
    StoreInput,
)
from fasciculus.records import inventory
from fasciculus.records.db import Records
from fasciculus.records.secret_cipher import SecretCipher
from fasciculus.service.background.housekeeping import Housekeeper
from fasciculus.service.event_stream import EventStream
from fasciculus.service.tasks.queue import TaskQueue
from fasciculus.service.tasks.queued import QueuedBackup


def attic(tmp_path: Path) -> StoreInput:
    (tmp_path / "attic").mkdir(exist_ok=True)
    return StoreInput(name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")})


def ssh_host(openssh: Any, name: str = "reed-2", **more: Any) -> HostInput:
    spec = openssh.host()
    return HostInput(
        name=name,
        connection={
            "kind": "ssh",
            "address": spec.address,
            "port": spec.port,
            "user": spec.user,
            "host_key": spec.host_key,
        },
        secrets={"private_key": openssh.key},
        **more,
    )


def listing(client: Client, running: Service, subject: str) -> list[dict]:
    import zstandard

    bundle = next(b for b in client.every(client.bundles_list) if b.subject == subject)
    path = running.home / "listings/account" / subject / f"{bundle.name}.zst"
    with path.open("rb") as raw:
        text = zstandard.ZstdDecompressor().stream_reader(raw).read()
    return [json.loads(line) for line in text.splitlines()]


def test_the_same_account_here_and_over_ssh(running: Service, openssh: Any, tmp_path: Path) -> None:
    home = awkward_tree(tmp_path)
    with closing(sqlite3.connect(home / "site.sqlite")) as db:
        db.executescript("CREATE TABLE page (id INTEGER); INSERT INTO page VALUES (1), (2);")
    databases = [{"engine": "sqlite", "name": "site", "path": "site.sqlite"}]
    with running.client() as client:
        here = AccountInput(name="here", host="reed-1", home=str(home), databases=databases)
        set_up(
            client,
            [here],
            [attic(tmp_path)],
            contents=["files", "databases", "system", "notes"],
            commands=[
                Command(when="before", command="test -d {home}"),
                Command(when="always", command="echo over"),
            ],
            notes=[Note(name="who", command="echo {account} of {home}")],
            rules=Rules(excludes=["*.txt"]),
        )
        unknown = ssh_host(openssh)
        unknown.connection = unknown.connection.model_copy(update={"host_key": ""})
        tried = client.hosts_try_draft(unknown)
        assert not tried.ok and tried.host_key == openssh.host_key
        rules = DiscoveryRules(
            homes=[f"{tmp_path}/{{account}}"],
            leave_out=["attic", "home", "openssh", "boathouse"],
            sqlite=True,
        )
        client.hosts_add(
            ssh_host(
                openssh,
                max_concurrent=2,
                discovery=rules,
                account_system=[f"{tmp_path}/openssh/user.p*"],
            )
        )
        (proposal,) = [p for p in client.hosts_find("reed-2").items if p.account.name == "tree"]
        assert [d.path for d in proposal.account.databases] == ["site.sqlite"]
        assert "private_key" in client.hosts_show("reed-2").secrets_set
        client.accounts_add(
            AccountInput(name="there", host="reed-2", home=str(home), databases=databases)
        )
        steps = client.hosts_try("reed-2").steps
        assert [s.name for s in steps] == [
            "connect",
            "host key",
            "sign in",
            "commands",
            "home folders",
        ]
        job = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
        counts = []
        for subject in ("here", "there"):
            number = client.previews_start(JobInput(**job), subject).id
            preview = until(lambda n=number: (p := client.previews_show(n)).state == "ended" and p)  # type: ignore[misc]
            counts.append(
                (preview.entries, preview.bytes, [(s.rule, s.entries) for s in preview.saved])
            )
        assert counts[0] == counts[1] and counts[0][0] > 30
        # What has just changed is looked at again: its state is not kept where time is coarse.
        newest = max(path.lstat().st_ctime for path in home.rglob("*"))
        until(lambda: time.time() - newest > 3)
        found = run(client, "nightly")
        assert found.outcome == "done", [t.error or t.warnings for t in found.tasks]
        one, other = listing(client, running, "here"), listing(client, running, "there")
        for row in one + other:
            for place in row.get("at", ()):
                del place[:3]
        notes = [row for row in one + other if row["kind"] == "notes"]
        # The database's copy and the notes are created each time; everything else equals the last
        # detail.
        made = ("databases", "notes", "system")
        assert [r["path"] for r in other if r["kind"] == "system"] == [
            f"{tmp_path}/openssh/user.pub".lstrip("/")
        ]
        assert [r for r in one if r["kind"] not in made] == [
            r for r in other if r["kind"] not in made
        ]
        assert len(one) == len(other) - 1 > 30 and len(notes) == 2
        bundle = next(b for b in client.every(client.bundles_list) if b.subject == "there")
        number = client.restores_start(
            RestoreStart(bundle=bundle.id, target=str(tmp_path / "back"))
        ).id
        until(lambda: client.restores_show(number).state == "ended")
        assert client.restores_show(number).outcome in ("done", "warned")
        assert (tmp_path / "back/notes/who.txt").read_text() == f"there of {home}\n"
        os.unlink(home / "dir.txt")
        (tmp_path / "back/files/site.sqlite").unlink()
        (home / "site.sqlite").unlink()
        wanted, back = picture(home), picture(tmp_path / "back/files")
        # What was taken out since gave the root another time.
        assert {k: v for k, v in wanted.items() if k} == {k: v for k, v in back.items() if k}


def test_a_host_that_cannot_be_reached_fails_its_own_tasks_only(
    running: Service, openssh: Any, tmp_path: Path
) -> None:
    with running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], [attic(tmp_path)])
        client.hosts_add(ssh_host(openssh))
        client.accounts_add(AccountInput(name="ferryline", host="reed-2", home="/srv"))
        openssh.close()
        found = run(client, "nightly")
        outcomes = {task.subject: (task.outcome, task.error) for task in found.tasks}
        assert outcomes["millpond"][0] == "done"
        assert (
            outcomes["ferryline"][0] == "failed"
            and "Nothing answers at 127.0.0.1" in outcomes["ferryline"][1]
        )


def test_a_host_takes_as_many_tasks_as_it_says() -> None:
    queue = TaskQueue({"work": 8, "maintenance": 1})
    queue.add(
        QueuedBackup(
            number=n, subject=("account", f"a{n}"), run=1, job=None, host=host, max_concurrent=most
        )
        for n, (host, most) in enumerate(
            [("reed-1", 1), ("reed-1", 1), ("reed-2", 2), ("reed-2", 2), ("reed-2", 2)]
        )
    )
    begun = []
    while (task := queue.next()) is not None:
        begun.append(task.number)
    assert begun == [0, 2, 3]


@pytest.fixture
def valley(tmp_path: Path) -> HostInput:
    """A host with 300 accounts, each with a site."""
    for number in range(300):
        (tmp_path / f"valley/acc{number:03d}/sites/acc{number:03d}.example").mkdir(parents=True)
    rules = DiscoveryRules(
        homes=[f"{tmp_path}/valley/{{account}}"],
        sites=[f"{tmp_path}/valley/{{account}}/sites/{{site}}"],
    )
    return HostInput(name="reed-1", discovery=rules)


def test_three_hundred_accounts_are_found_taken_over_and_covered(
    running: Service, valley: HostInput, tmp_path: Path
) -> None:
    with running.client() as client:
        client.stores_add(attic(tmp_path))
        began = time.monotonic()
        client.hosts_add(valley)
        assert client.hosts_find("reed-1").total == 300
        assert client.hosts_accept("reed-1").count == 300
        client.jobs_add(JobInput(name="nightly", stores=["attic"]))
        rows = client.coverage_list(state="never", limit=500)
        assert rows.total == 300 and rows.items[0].jobs == ["nightly"]
        assert time.monotonic() - began < 60, "a busy machine takes its time"
        assert client.hosts_find("reed-1").items == []
        # New, changed and deleted accounts are proposed, and accepted one by one.
        (tmp_path / "valley/acc300/sites/acc300.example").mkdir(parents=True)
        (tmp_path / "valley/acc001/sites/more.acc001.example").mkdir()
        os.rename(tmp_path / "valley/acc002", tmp_path / "moved")
        assert {p.account.name: p.kind for p in client.hosts_find("reed-1").items} == {
            "acc001": "changed",
            "acc002": "gone",
            "acc300": "new",
        }
        client.hosts_accept("reed-1", ["acc002", "acc300"])
        assert (
            client.accounts_show("acc002").gone_since and client.jobs_show("nightly").covers == 300
        )
        assert [p.account.name for p in client.hosts_find("reed-1").items] == ["acc001"]
        with pytest.raises(RefusedError, match="Nothing is proposed of “nobody”"):
            client.hosts_accept("reed-1", ["nobody"])
        # One that is back is there again.
        os.rename(tmp_path / "moved", tmp_path / "valley/acc002")
        client.hosts_accept("reed-1", ["acc002"])
        assert client.accounts_show("acc002").gone_since is None


def test_a_preview_of_twenty_thousand_files(running: Service, tmp_path: Path) -> None:
    home = tmp_path / "millpond"
    for number in range(200):
        folder = (
            home / f"site-{number % 9}" / ("cache" if number % 4 == 0 else "pages") / str(number)
        )
        folder.mkdir(parents=True)
        for name in range(100):
            with open(folder / f"{name}.html", "wb") as file:
                file.truncate(name)
    with running.client() as client:
        set_up(
            client,
            [AccountInput(name="millpond", host="reed-1", home=str(home))],
            [attic(tmp_path)],
        )
        job = client.jobs_show("nightly")
        draft = JobInput(
            **job.model_dump(include=set(JobInput.model_fields)) | {"rules": Rules(sets=["caches"])}
        )

        def measured() -> Any:
            number = client.previews_start(draft, "millpond").id
            return until(lambda: (p := client.previews_show(number)).state == "ended" and p)

        found = measured()
        assert found.outcome == "done", found.error
        assert found.entries == 1 + 15_000 + 9 + 9 + 9 + 150 and found.new is None
        assert [(s.rule, s.entries) for s in found.saved] == [("**/cache/**", 5_050)]
        assert found.folders[0].path.startswith("site-") and found.packed < found.bytes
        # The time is the machine's; what is held here is the order of magnitude, on the best of
        # three.
        assert found.seconds < 10 or min(measured().seconds, measured().seconds) < 10
        slow = client.previews_start(draft, "millpond").id
        client.previews_cancel(slow)
        assert (
            until(lambda: (p := client.previews_show(slow)).state == "ended" and p).outcome
            == "cancelled"
        )
        with pytest.raises(NotFoundError):
            client.previews_show(999)


def test_commands_around_a_task_and_what_they_decide(running: Service, tmp_path: Path) -> None:
    said = tmp_path / "said"
    with running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], [attic(tmp_path)])

        def outcome_with(*commands: Any, **job: Any) -> Any:
            said.write_text("")
            old = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
            client.jobs_change("nightly", JobInput(**{**old, "commands": list(commands), **job}))
            found = run(client, "nightly")
            return found.outcome, found.tasks[0], said.read_text().split()

        def command(when: str, text: str, **more: Any) -> Command:
            return Command(when=when, command=f"echo {when} >> {said}; {text}", **more)

        all_four = [
            command(w, "true") for w in ("before", "after_success", "after_failure", "always")
        ]
        assert outcome_with(*all_four)[::2] == ("done", ["before", "after_success", "always"])
        stopping = [command("before", "echo why; exit 4"), *all_four[1:]]
        outcome, task, order = outcome_with(*stopping)
        assert outcome == "failed" and "The command before the task failed" in task.error
        assert order == ["before", "after_failure", "always"]
        outcome, task, order = outcome_with(command("before", "exit 4", stops=False), *all_four[1:])
        assert outcome == "warned" and order == ["before", "after_success", "always"]
        outcome, task, _ = outcome_with(command("always", "sleep 60", seconds=1))
        assert outcome == "warned" and "not done after 1 s" in task.warnings[0]
        log = [
            line.text
            for line in client.every(client.runs_log, run_id=client.runs_list().items[1].id)
        ]
        assert any("ended with code 4" in line for line in log)
        assert client.bundles_list().total == 3, "the stopped task made none"


def test_an_account_that_is_gone_goes_with_its_bundles_when_its_time_has_passed(
    running: Service, stand_in: SftpStandIn, tmp_path: Path
) -> None:
    from running import sftp_store

    rules = DiscoveryRules(
        homes=[f"{tmp_path}/valley/{{account}}"], automatic=True, forget_after=30
    )
    for name in ("millpond", "ferryline"):
        small_account(tmp_path / "valley", name)
    with running.client() as client:
        set_up(client, [], [sftp_store(stand_in)])
        client.hosts_change("reed-1", HostInput(name="reed-1", discovery=rules))
        keeper = Housekeeper.__new__(Housekeeper)
        running.stop()
        with closing(Records(running.home / "records/fasciculus.sqlite")) as records:
            cipher = SecretCipher(running.home / "keys/secrets.key")
            config = load({"FASCICULUS_HOME": str(running.home)})
            keeper.__init__(config, records, cipher, EventStream(), set, *[lambda: None] * 3)  # type: ignore[misc]
            keeper.find_accounts()
        running.start()
        assert client.accounts_list().total == 2, "found and taken over by itself"
        assert run(client, "nightly").outcome == "done"
        os.rename(tmp_path / "valley/millpond", tmp_path / "away")
        client.hosts_accept("reed-1", ["millpond"])
        assert run(client, "nightly").tasks[0].subject == "ferryline", "jobs skip deleted accounts"
        running.stop()
        with closing(Records(running.home / "records/fasciculus.sqlite")) as records:
            keeper.__init__(config, records, cipher, EventStream(), set, *[lambda: None] * 3)  # type: ignore[misc]
            keeper.forget_gone()
            with records.write() as db:
                assert db.execute("SELECT count(*) FROM account").fetchone()[0] == 2, (
                    "its time has not passed"
                )
                db.execute(
                    "UPDATE account SET gone_since='2026-01-01T00:00:00+00:00' WHERE "
                    "name='millpond'"
                )
            keeper.__init__(  # type: ignore[misc]
                config,
                records,
                cipher,
                EventStream(),
                lambda: {("account", "millpond")},
                *[lambda: None] * 3,
            )
            keeper.forget_gone()
            assert inventory.account(records.reader, "millpond").bundles == 1, (
                "not while something goes on"
            )
            keeper.__init__(config, records, cipher, EventStream(), set, *[lambda: None] * 3)  # type: ignore[misc]
            keeper.forget_gone()
        running.start()
        assert [a.name for a in client.accounts_list().items] == ["ferryline"]
        assert not any(b.subject == "millpond" for b in client.every(client.bundles_list))
        folder = stand_in.root / "bundles/accounts"
        assert not [p for p in (folder / "millpond").rglob("*") if p.is_file()]
        assert len(list((folder / "ferryline").rglob("bundle.json"))) == 2
        client.accounts_remove("ferryline", "remove")
        assert not [p for p in (folder / "ferryline").rglob("*") if p.is_file()]
        assert client.bundles_list().total == 0


def test_settings_of_hosts_and_accounts_and_every_database(
    running: Service, mariadb: PrivateMariaDb, tmp_path: Path
) -> None:
    etc = tmp_path / "etc"
    for name, text in (
        ("nginx/nginx.conf", "http {}"),
        ("nginx/millpond-a.conf", "a"),
        ("cron/millpond", "* * * * *"),
        ("nginx/ferryline-a.conf", "f"),
        ("ssl/millpond.key", "key"),
    ):
        (etc / name).parent.mkdir(parents=True, exist_ok=True)
        (etc / name).write_text(text)
    (etc / "ssl/millpond.key").chmod(0o600)
    mariadb.run(
        "CREATE DATABASE IF NOT EXISTS whole_one", "CREATE TABLE IF NOT EXISTS whole_one.t (n INT)"
    )
    host = HostInput(
        name="reed-1",
        servers=[{"kind": "mariadb", "socket": mariadb.socket, "user": "fasciculus"}],
        secrets={"mariadb_password": "ledger"},
        system=[f"{etc}/nginx", f"{etc}/nginx/nginx.conf", f"{etc}/none-*"],
        account_system=[f"{etc}/*/{{account}}*"],
    )
    with running.client() as client:
        set_up(
            client, [small_account(tmp_path, "millpond")], [attic(tmp_path)], contents=["system"]
        )
        client.hosts_change("reed-1", host)
        job = {
            "name": "hosts",
            "subjects": "hosts",
            "contents": ["system", "databases"],
            "stores": ["attic"],
        }
        client.jobs_add(JobInput(**job, timetable="by hand", databases={"names": ["whole_*"]}))
        assert (
            "all databases (some of them) and system settings of all hosts (1 now)"
            in client.jobs_show("hosts").summary
        )
        assert run(client, "nightly").outcome == "done"
        found = run(client, "hosts")
        assert found.tasks[0].warnings == [f"{etc}/none-*: nothing on the host is called so"]
        bundles = {b.subject: b.id for b in client.every(client.bundles_list)}

        def names(bundle: int, kind: str) -> list[str]:
            return sorted(
                e.path for e in client.bundles_search(bundle, ".", kind).items if e.type == "file"
            )

        base = str(etc).lstrip("/")
        assert names(bundles["millpond"], "system") == [
            f"{base}/nginx/millpond-a.conf",
            f"{base}/ssl/millpond.key",
        ]
        assert names(bundles["reed-1"], "system") == [
            f"{base}/nginx/{n}.conf" for n in ("ferryline-a", "millpond-a", "nginx")
        ]
        members = names(bundles["reed-1"], "databases")
        assert members[:2] == ["mariadb/%users.sql", "mariadb/whole_one/00000-schema.sql"]
        number = client.restores_start(
            RestoreStart(
                bundle=bundles["reed-1"],
                databases={"whole_one": "whole_back"},
                target=str(tmp_path / "back"),
            )
        ).id
        done = until(lambda: (r := client.restores_show(number)).state == "ended" and r)
        assert done.outcome == "done", done.error
        users = (tmp_path / "back/databases/mariadb/%users.sql").read_text()
        assert (
            "CREATE USER IF NOT EXISTS `fasciculus`@`localhost`" in users and "GRANT ALL" in users
        )
        key = tmp_path / "back/system" / base / "nginx/nginx.conf"
        assert key.read_text() == "http {}"
