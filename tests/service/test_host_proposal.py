"""Proposed rules of a host: only rules that find something."""

from __future__ import annotations

import os
import socket
from pathlib import Path
from typing import Any

import pytest
from running import mariadb_spec, run, service

from fasciculus.core.errors import UnreachableError
from fasciculus.databases import ENGINES
from fasciculus.databases.base import DatabaseAccess, DatabaseRef
from fasciculus.databases.mariadb.engine import MariaDbEngine
from fasciculus.demo.mariadb import PrivateMariaDb
from fasciculus.hosts.base import CommandResult
from fasciculus.hosts.local import LocalHost
from fasciculus.models import HostInput, JobInput, StoreInput
from fasciculus.models.inventory.inventory import HostFields, HostProposal
from fasciculus.service.usecases.inventory.host_proposal import Look

MODULE = "fasciculus.service.usecases.inventory.host_proposal"

pytestmark = pytest.mark.usefixtures("in_this_process")


class Elsewhere(LocalHost):
    """This machine, with another root."""

    def __init__(self, root: Path) -> None:
        self._at = root

    def _there(self, path: bytes | str) -> str:
        return str(self._at) + os.fsdecode(path)

    def type_of(self, path: str) -> str:
        return super().type_of(self._there(path))

    def names(self, folder: bytes) -> list[Any]:
        return super().names(os.fsencode(self._there(folder)))

    def read_text(self, path: str) -> str:
        return super().read_text(self._there(path))

    def run(
        self, command: str, seconds: float, stdin: bytes = b"", limit: int = 1 << 20
    ) -> CommandResult:
        return super().run(command.replace("/home", f"{self._at}/home"), seconds, stdin, limit)


@pytest.fixture
def machine(tmp_path: Path) -> Elsewhere:
    """A server of Sedge & Quill, as it may look."""
    root = tmp_path / "reed-1"
    for name in ("millpond", "ferryline", "lost+found"):
        (root / "home" / name).mkdir(parents=True)
    (root / "home/ferryline/sites/ferryline.example").mkdir(parents=True)
    (root / "home/millpond/public").mkdir()
    (root / "etc/nginx/sites-enabled").mkdir(parents=True)
    (root / "etc/nginx/sites-enabled/millpond").write_text(
        "server { server_name millpond.example; root /home/millpond/public; }\n"
        "server { server_name other.example; root /srv/other; }\n"
    )
    (root / "etc/postfix").mkdir()
    (root / "etc/postfix/virtual").write_text(
        "millpond.example x\npotter@millpond.example potter\n"
    )
    (root / "etc/dovecot").mkdir()
    (root / "etc/dovecot/users").write_text("potter@millpond.example:{PLAIN}x:1:1::/var/x::\n")
    (root / "var/vmail/millpond.example/potter").mkdir(parents=True)
    (root / "run/mysqld").mkdir(parents=True)
    with socket.socket(socket.AF_UNIX) as listener:
        os.chdir(root / "run/mysqld")
        listener.bind("mysqld.sock")
        os.chdir("/")
    return Elsewhere(root)


def look(machine: Elsewhere, tmp_path: Path, host: HostFields | None = None) -> HostProposal:
    (tmp_path / "spool").mkdir(exist_ok=True)
    found = Look(machine, host or HostFields(name="reed-1"), {}, str(tmp_path / "spool"))
    return found.proposal()


@pytest.fixture
def databases(monkeypatch: pytest.MonkeyPatch) -> None:
    names = ["ferryline_boats", "millpond_shop", "stray"]
    engine = ENGINES.get("mariadb")
    refs = [DatabaseRef("mariadb", name) for name in names]
    monkeypatch.setattr(type(engine), "discover", lambda self, access, homes: refs)
    monkeypatch.setattr(type(engine), "grants", lambda self, access: {})


def test_each_rule_that_finds_something_is_proposed_with_what_it_finds(
    machine: Elsewhere, databases: Any, tmp_path: Path
) -> None:
    proposal = look(machine, tmp_path)
    rules = {row.field: (row.value, row.finds) for row in proposal.rules}
    assert rules["discovery.homes"] == ("/home/{account}", "2 accounts: ferryline, millpond")
    assert rules["discovery.sites"][0] == "/home/{account}/sites/{site}"
    assert rules["discovery.nginx"] == ("/etc/nginx/sites-enabled/*", "1 site: millpond.example")
    assert "discovery.apache" not in rules, "where nothing is, nothing is proposed"
    assert rules["servers"][0] == "/run/mysqld/mysqld.sock"
    assert rules["discovery.database_prefix"][1].startswith("2 databases: ferryline_boats")
    assert rules["mail.alias_map"] == ("/etc/postfix/virtual", "1 mail domain: millpond.example")
    assert rules["mail.home"][0] == "/var/vmail/{domain}/{user}"
    host = proposal.host
    assert (
        host.discovery.leave_out == ["lost+found"] and host.discovery.mail and host.discovery.sqlite
    )
    assert host.servers[0].kind == "mariadb" and host.mail.passwd_file == "/etc/dovecot/users"
    assert proposal.finds == (
        "2 accounts, 2 sites, 2 databases and 1 mail domain; 1 database: stray that no rule gives "
        "to an account."
    )


def test_what_is_set_stays(machine: Elsewhere, databases: Any, tmp_path: Path) -> None:
    host = HostFields(name="reed-1")
    host.discovery.homes = ["/srv/{account}"]
    host.mail.alias_map = "/etc/aliases-of-ours"
    proposal = look(machine, tmp_path, host)
    assert proposal.host.discovery.homes == ["/srv/{account}"]
    assert proposal.host.mail.alias_map == "/etc/aliases-of-ours"
    assert not {"discovery.homes", "mail.alias_map"} & {row.field for row in proposal.rules}


def test_a_server_that_lets_nobody_in_costs_only_itself(
    machine: Elsewhere, monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    def refused(self: MariaDbEngine, access: DatabaseAccess, homes: list[Any]) -> None:
        raise UnreachableError("The database server refused the sign-in.")

    monkeypatch.setattr(type(ENGINES.get("mariadb")), "discover", refused)
    proposal = look(machine, tmp_path)
    (row,) = [row for row in proposal.rules if row.field == "servers"]
    assert "lets nobody in" in row.finds and "Set it by hand" in row.finds
    assert proposal.host.servers == [] and proposal.finds.startswith("2 accounts, 2 sites")


def test_an_empty_machine_says_so(tmp_path: Path) -> None:
    (tmp_path / "empty").mkdir()
    proposal = look(Elsewhere(tmp_path / "empty"), tmp_path)
    assert proposal.rules == [] and "No homes of accounts were found" in proposal.finds


def test_from_nothing_to_the_first_bundle_by_commands(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, mariadb: PrivateMariaDb
) -> None:
    """Each of the first steps is ticked when it is done."""
    home = tmp_path / "srv/millpond"
    home.mkdir(parents=True)
    (home / "index.html").write_text("pots")
    monkeypatch.setattr(f"{MODULE}._HOMES", (f"{tmp_path}/srv/{{account}}",))
    monkeypatch.setattr("fasciculus.databases.mariadb.engine._SOCKETS", (mariadb.socket,))
    for name in ("_NGINX", "_APACHE"):
        monkeypatch.setattr(f"{MODULE}.{name}", ())
    mariadb.run("CREATE DATABASE IF NOT EXISTS millpond_shop")
    (tmp_path / "attic").mkdir()
    assert mariadb_spec(socket=mariadb.socket).settings
    with service(tmp_path / "home") as running, running.client() as client:

        def counts() -> list[int]:
            shown = client.overview()
            return [shown.hosts, shown.accounts, len(shown.stores), shown.jobs, shown.bundles]

        assert counts() == [0, 0, 0, 0, 0]
        added = running.cli("hosts", "add", "reed-1", "--proposed")
        assert added.returncode == 0 and "1 account: millpond" in added.stdout, added.stderr
        assert "Together: 1 account" in added.stdout
        if os.geteuid() == 0:
            assert "1 account and 1 database" in added.stdout
        taken = running.cli("hosts", "accept", "reed-1", "--all")
        assert taken.returncode == 0, taken.stderr
        folder = {"kind": "folder", "folder": str(tmp_path / "attic")}
        client.stores_add(StoreInput(name="attic", settings=folder))
        client.jobs_add(JobInput(name="nightly", stores=["attic"]))
        assert counts() == [1, 1, 1, 1, 0]
        assert run(client, "nightly").outcome == "done" and counts() == [1, 1, 1, 1, 1]
        again = running.cli("hosts", "propose", "reed-1")
        assert again.returncode == 0 and "discovery.homes" not in again.stdout
    mariadb.run("DROP DATABASE millpond_shop")


def test_a_host_over_ssh_is_looked_at_as_well(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, openssh: Any
) -> None:
    (tmp_path / "srv/millpond/sites/millpond.example").mkdir(parents=True)
    monkeypatch.setattr(f"{MODULE}._HOMES", (f"{tmp_path}/srv/{{account}}",))
    monkeypatch.setattr("fasciculus.databases.mariadb.engine._SOCKETS", ())
    spec = openssh.host()
    connection = {"kind": "ssh", "address": spec.address, "port": spec.port, "user": spec.user}
    host = HostInput(
        name="reed-2",
        connection={**connection, "host_key": spec.host_key},
        secrets={"private_key": openssh.key},
    )
    with service(tmp_path / "home") as running, running.client() as client:
        found = client.hosts_propose(host)
        assert found.host.discovery.sites == [f"{tmp_path}/srv/{{account}}/sites/{{site}}"]
        assert found.finds.startswith("1 account and 1 site")
