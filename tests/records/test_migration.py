"""A home that an earlier version made: it starts, nothing of it is lost, its bundles restore."""

from __future__ import annotations

import json
import sqlite3
import tarfile
from importlib import resources
from pathlib import Path

from running import run, service, until

from fasciculus.channels import KINDS
from fasciculus.models import AccountInput, ChannelInput, RestoreStart

HOME = Path(__file__).parents[1] / "fixtures/home-of-0.1.0.tar.gz"
#: Where the home was made; its records say so.
MADE_AT = "/tmp/oldhome"


def unpacked(folder: Path) -> Path:
    with tarfile.open(HOME) as archive:
        archive.extractall(folder, filter="tar")
    with sqlite3.connect(folder / "home/records/fasciculus.sqlite") as db:
        for table, column in (("store", "document"), ("account", "home")):
            db.execute(
                f"UPDATE {table} SET {column} = replace({column}, ?, ?)", (MADE_AT, str(folder))
            )
        db.execute("DELETE FROM token")
        # Its runs are in the past.
        db.execute("UPDATE job SET document = replace(document, 'daily 02:15', 'by hand')")
    return folder / "home"


def test_a_home_of_version_0_1_0_starts_and_its_bundles_restore(tmp_path: Path) -> None:
    with service(unpacked(tmp_path)) as running, running.client() as client:
        (store,) = client.stores_list().items
        assert store.settings.kind == "folder" and store.where == str(tmp_path / "store")
        here, away = sorted(client.hosts_list().items, key=lambda host: host.name)
        assert here.connection.kind == "local" and here.where == "this machine"
        assert away.connection.model_dump() | {"port": 22} == {
            "kind": "ssh",
            "address": "reed-2.example",
            "port": 22,
            "user": "backup",
            "host_key": "SHA256:abc",
        }
        assert away.secrets_set == ["password"]
        job = client.jobs_show("nightly")
        assert job.keep == "5 newest" and job.report_to == ["duty@sedge-quill.example"]
        first, second = sorted(client.bundles_list().items, key=lambda bundle: bundle.id)
        assert all(copy.sound and copy.verified_deep for copy in second.copies)
        assert [task.kind for task in client.maintenance_list().items] == ["verify"]
        for bundle, text in ((first, "night 0\n"), (second, "night 1\nnight 1\n")):
            target = tmp_path / f"back-{bundle.id}"
            number = client.restores_start(RestoreStart(bundle=bundle.id, target=str(target))).id
            done = until(lambda n=number: (r := client.restores_show(n)).state == "ended" and r)  # type: ignore[misc]
            assert done.outcome == "done", done.error
            assert (target / "files/notes.txt").read_text() == text
            assert (target / "files/index.html").read_text() == "The pond.\n" * 200
        found = run(client, "nightly")
        assert found.outcome == "done" and client.bundles_list().total == 3
        assert client.overview().stores[0].copies == 3


def test_saving_the_form_of_an_account_that_is_gone_keeps_since_when(tmp_path: Path) -> None:
    home = unpacked(tmp_path)
    with sqlite3.connect(home / "records/fasciculus.sqlite") as db:
        db.execute("UPDATE account SET gone_since = '2026-11-20T02:00:00+00:00'")
    with service(home) as running, running.client() as client:
        account = client.accounts_show("millpond")
        assert account.gone_since is not None
        form = account.model_dump(include=set(AccountInput.model_fields))
        saved = client.accounts_change("millpond", AccountInput(**form))
        assert saved.gone_since == account.gone_since


def test_channels_keep_their_payload_under_their_kinds() -> None:
    migration = resources.files("fasciculus.records") / "migrations/0014-channel-kinds.sql"
    former = {
        "bell": {"form": "message", "template": "", "url": "https://kept.example", "secret": None},
        "chat": {"form": "content", "template": ""},
        "own": {"form": "template", "template": '{"a": "it\'s"}'},
    }
    with sqlite3.connect(":memory:") as db:
        db.execute("CREATE TABLE channel (name TEXT, document TEXT)")
        rows = [(name, json.dumps({"name": name, **row})) for name, row in former.items()]
        db.executemany("INSERT INTO channel VALUES (?, ?)", rows)
        db.executescript(migration.read_text())
        db.executescript(migration.read_text())
        found = [
            ChannelInput.model_validate_json(text)
            for (text,) in db.execute("SELECT document FROM channel ORDER BY name")
        ]
    assert [(row.name, KINDS.parse(row.settings.model_dump())) for row in found] == [
        ("bell", KINDS.parse({"kind": "webhook"})),
        ("chat", KINDS.parse({"kind": "chat", "field": "content"})),
        ("own", KINDS.parse({"kind": "webhook", "template": '{"a": "it\'s"}'})),
    ]
