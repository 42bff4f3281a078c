"""Orders of backups, from the records."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest
from sample_records import MILLPOND, SampleRecords, id_of, piece

from fasciculus.contracts.events import DamageFound
from fasciculus.contracts.order_lines import from_line, to_line
from fasciculus.contracts.orders import BackupOrder, SubjectOrder
from fasciculus.contracts.sealed_secrets import WorkerIdentity
from fasciculus.core.errors import MissingError, SettingError
from fasciculus.models import Account, Database, Host, Site
from fasciculus.models.jobs.jobs import Command, Note
from fasciculus.records.bundles import bundles, damage
from fasciculus.records.db import stamp
from fasciculus.records.runs import runs
from fasciculus.records.runs.runs import RunOptions
from fasciculus.service.tasks.orders.backup import backup_order, hold_flags

ACCOUNT = ("account", "millpond")
SITE = ("site", "mill.example")
HOST = ("host", "reed-1")


def order(
    heronmere: SampleRecords,
    subject: tuple[Any, ...] = ACCOUNT,
    options: RunOptions | None = None,
    **fields: Any,
) -> BackupOrder:
    job = heronmere.job(**fields)
    with heronmere.records.write() as db:
        run = runs.add(db, job, "test", [subject], None, options or RunOptions())
        (task,) = runs.tasks(db, run)
    return backup_order(heronmere.sources, job, run, task.id, *subject)


def test_an_order_travels_as_a_line_and_shows_no_secret(heronmere: SampleRecords) -> None:
    found = order(heronmere, stores=["boathouse"])
    worker = WorkerIdentity()
    line = to_line(found, worker.recipient)
    assert from_line(line, worker) == found and b"oar-and-rope" not in line
    (store,) = found.stores
    assert store.secrets == {"password": "oar-and-rope"} and store.store_id == id_of("boathouse")
    assert "oar-and-rope" not in repr(found) + repr(store) + str(found.stores)


def test_an_account_with_all_it_has(heronmere: SampleRecords) -> None:
    found = order(heronmere)
    assert (found.subject.kind, found.subject.name, found.subject.host) == (*ACCOUNT, "reed-1")
    assert found.subject.root == "/home/millpond"
    assert found.subject.site_roots == {
        "mill.example": "/home/millpond/mill",
        "pond.example": "/home/millpond/pond",
    }
    assert [(d.engine, d.name, d.path) for d in found.databases] == [
        ("mariadb", "mill_blog", ""),
        ("mariadb", "mill_shop", ""),
        ("sqlite", "guests", "mill/data/guests.db"),
    ]
    assert not found.all_databases
    assert found.mail.domains == ["mill.example", "millpond.example"]
    assert found.contents == ["files", "databases", "mail", "system"]
    assert [store.keep for store in found.stores] == ["7 newest"]


def test_a_site_has_its_own_folder_databases_and_domain(heronmere: SampleRecords) -> None:
    found = order(heronmere, SITE, subjects="sites")
    assert (found.subject.root, found.subject.site_roots) == ("/home/millpond/mill", {})
    assert [(d.name, d.path) for d in found.databases] == [
        ("mill_shop", ""),
        ("guests", "data/guests.db"),
    ]
    assert found.mail.domains == ["mill.example"]
    pond = order(heronmere, ("site", "pond.example"), name="second", subjects="sites")
    assert pond.databases == [] and pond.mail is None


def test_a_host_takes_its_servers_and_no_files(heronmere: SampleRecords) -> None:
    found = order(heronmere, HOST, subjects="hosts", contents=["databases", "system"])
    assert found.all_databases and found.databases == [] and found.mail is None
    assert found.subject.root == "" and found.system_user == ""
    quiet = order(heronmere, HOST, name="second", subjects="hosts", contents=["system"])
    assert not quiet.all_databases


def test_mail_only_where_it_is_wanted(heronmere: SampleRecords) -> None:
    assert order(heronmere, contents=["files"]).mail is None
    found = order(heronmere, name="second", contents=["mail"], messages=True)
    assert found.mail.messages and found.mail.domains


def test_rules_choose_databases_and_accounts_add_excludes(heronmere: SampleRecords) -> None:
    heronmere.account("ferryline", excludes=["*.bak"])
    found = order(heronmere, databases={"without": ["*_blog"]}, rules={"excludes": ["tmp/"]})
    assert [d.name for d in found.databases] == ["mill_shop", "guests"]
    assert found.rules.excludes == ("tmp/",)
    ferry = order(heronmere, ("account", "ferryline"), name="second", rules={"excludes": ["tmp/"]})
    assert ferry.rules.excludes == ("tmp/", "*.bak"), "the account's come after the job's"


def test_its_own_folders_and_local_stores_stay_out(heronmere: SampleRecords) -> None:
    found = order(heronmere)
    assert found.own_folders == [str(heronmere.config.home), str(heronmere.config.spool)]
    assert found.excluded == [str(heronmere.folder / "attic")]


@pytest.mark.parametrize(
    ("text", "filled"),
    [
        ("list {account}", "list millpond"),
        ("du {home}", "du /home/millpond"),
        ("echo {subject} {other} ${HOME}", "echo millpond {other} ${HOME}"),
    ],
)
def test_commands_and_notes_are_filled_in(heronmere: SampleRecords, text: str, filled: str) -> None:
    found = order(
        heronmere,
        contents=["notes"],
        notes=[Note(name="quota", command=text, seconds=9)],
        commands=[Command(when="before", command=text, seconds=7, stops=False)],
    )
    ((note,), (command,)) = found.notes, found.commands
    assert (note.name, note.command, note.seconds) == ("quota", filled, 9)
    assert (command.when, command.command, command.seconds) == ("before", filled, 7)
    assert not command.stops


def test_what_is_filled_in_is_quoted(heronmere: SampleRecords) -> None:
    heronmere.account("odd", home="/home/o'dd $(x)")
    found = order(
        heronmere,
        ("account", "odd"),
        commands=[Command(when="always", command="ls {home}")],
    )
    assert found.commands[0].command == "ls '/home/o'\"'\"'dd $(x)'"


def test_system_settings_of_a_host_and_of_an_account(heronmere: SampleRecords) -> None:
    heronmere.host("sedge-2", system=["/etc/*.conf"], account_system=["/etc/cron.d/{account}"])
    heronmere.account("ferryline", host="sedge-2")
    ferry = order(heronmere, ("account", "ferryline"), contents=["system"])
    assert (ferry.system, ferry.system_user) == (["/etc/cron.d/ferryline"], "ferryline")
    host = order(
        heronmere, ("host", "sedge-2"), name="second", subjects="hosts", contents=["system"]
    )
    assert (host.system, host.system_user) == (["/etc/*.conf"], "")


def test_only_the_jobs_own_copies_count_for_its_keep_rule(heronmere: SampleRecords) -> None:
    first = heronmere.bundle(0)
    heronmere.bundle(1, job="monthly")
    second = heronmere.bundle(2, on=("attic", "boathouse"))
    heronmere.bundle(3, subject=("account", "ferryline"))
    heronmere.bundle(4, subject=("site", "millpond"))
    found = order(heronmere, stores=["attic", "boathouse"])
    assert [(store.name, store.known) for store in found.stores] == [
        ("attic", [first, second]),
        ("boathouse", [second]),
    ]
    assert [store.pinned for store in found.stores] == [[], []]
    with heronmere.records.write() as db:
        db.execute("UPDATE bundle SET pinned=1 WHERE name=?", (first,))
    known = bundles.known_on(heronmere.db, *MILLPOND, "nightly", "attic")
    assert [(copy.name, copy.pinned, copy.good) for copy in known] == [
        (first, True, True),
        (second, False, True),
    ]


def test_a_full_job_expects_what_the_last_bundle_was(heronmere: SampleRecords) -> None:
    assert order(heronmere).expected_bytes == 0
    heronmere.bundle(0)
    last = heronmere.bundle(1)
    found = order(heronmere, name="nightly-2")
    assert (found.expected_bytes, found.before) == (0, None), "another job's is not looked at"
    job = heronmere.job("third")
    run, task = heronmere.run(job)
    with heronmere.records.write() as db:
        db.execute("UPDATE bundle SET job='third' WHERE name=?", (last,))
    found = backup_order(heronmere.sources, job, run, task, *ACCOUNT)
    assert (found.expected_bytes, found.expected_packed) == (1000, 100)
    assert found.before == str(heronmere.config.listing(*ACCOUNT, last))
    assert found.previous is None and found.states is None


def test_an_incremental_job_builds_on_the_last_bundle(heronmere: SampleRecords) -> None:
    name = heronmere.bundle(0, base=stamp(datetime.now(UTC)))
    heronmere.listing(name)
    found = order(heronmere, mode="incremental")
    assert found.previous.name == name and found.states.endswith(".states")
    assert found.expected_packed == 0, "how much is new nobody knows"
    full = order(heronmere, name="x", mode="incremental", options=RunOptions(full=True))
    assert full.previous is None and full.why_full == "it was asked for"


def test_damage_of_the_pieces_that_it_builds_on_is_said(heronmere: SampleRecords) -> None:
    pieces = (piece("one.files-0001.tar.zst"), piece("two.files-0001.tar.zst"))
    name = heronmere.bundle(0, pieces=pieces, base=stamp(datetime.now(UTC)))
    heronmere.listing(name)
    with heronmere.records.write() as db:
        for file in ("pieces/two.files-0001.tar.zst", "pieces/other", f"bundles/{name}/x"):
            found = DamageFound(file=file, reason="is missing", bundles=[name], files=[], harmed=1)
            damage.found(db, "attic", MILLPOND, found)
    assert order(heronmere, mode="incremental").damaged == ["two.files-0001.tar.zst"]
    assert order(heronmere, name="x", mode="full").damaged == []


def test_where_things_go(heronmere: SampleRecords) -> None:
    found = order(heronmere)
    task = found.spool.rpartition("-")[2]
    assert found.spool == str(heronmere.config.spool / f"task-{task}")
    assert found.listing == str(heronmere.config.under_way / f"task-{task}.zst")
    assert found.writer.startswith("fasciculus ") and found.threads >= 1


@pytest.mark.parametrize("kind", ["account", "site", "host"])
def test_a_subject_that_is_gone_is_refused_by_name(heronmere: SampleRecords, kind: str) -> None:
    notes = [Note(name="n", command="x")]
    with pytest.raises((MissingError, SettingError), match="gone"):
        subject = (kind, "gone.example")
        order(heronmere, subject, subjects=f"{kind}s", contents=["notes"], notes=notes)


def test_a_database_file_outside_a_site_is_refused(heronmere: SampleRecords) -> None:
    heronmere.account(
        "ferryline",
        sites=[Site(name="ferry.example", root="/home/ferryline/site")],
        databases=[Database(engine="sqlite", name="d", path="private/d.db", site="ferry.example")],
    )
    with pytest.raises(SettingError, match="outside its document root") as caught:
        order(heronmere, ("site", "ferry.example"), subjects="sites")
    assert caught.value.hint == "Protect the account instead of the site."


def test_flags_of_hold_pages() -> None:
    sites = [Site(name="a.example", root="/h/a"), Site(name="b.example", root="/h/b")]
    account = Account(name="millpond", host="reed-1", home="/h", sites=sites)

    def flags(
        pattern: str,
        kind: str = "account",
        name: str = "millpond",
        account: Account | None = account,
    ) -> list[Any]:
        host = Host(name="reed-1", where="this machine", hold_flag=pattern)
        return hold_flags(host, account, SubjectOrder(kind=kind, name=name, host="reed-1", root=""))

    assert flags("") == [] and flags("/x/{site}", account=None) == []
    assert flags("/run/{site}.hold") == ["/run/a.example.hold", "/run/b.example.hold"]
    assert flags("/run/{site}.hold", "site", "b.example") == ["/run/b.example.hold"]
    assert flags("/run/{account}.hold") == ["/run/millpond.hold"]


def test_a_comparison_that_was_asked_for_and_one_whose_turn_it_is(heronmere: SampleRecords) -> None:
    name = heronmere.bundle(0, base="2026-11-01T02:15:00+00:00")
    heronmere.listing(name)
    fields = {"mode": "incremental", "full_every": 3650}
    assert not order(heronmere, **fields).compare
    asked = order(heronmere, name="nightly", options=RunOptions(compare=True), **fields)
    assert asked.compare
    assert order(heronmere, name="nightly", compare_every=1, **fields).compare


def test_hold_flags_only_for_a_job_that_holds(heronmere: SampleRecords) -> None:
    heronmere.host("sedge-2", hold_flag="/run/{account}.hold")
    heronmere.account("ferryline", host="sedge-2")
    subject = ("account", "ferryline")
    assert order(heronmere, subject).hold_flags == []
    held = order(heronmere, subject, name="second", hold_page=True)
    assert held.hold_flags == ["/run/ferryline.hold"]
