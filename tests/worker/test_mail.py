"""Mail settings out of and back into files that real Postfix and Dovecot read."""

from __future__ import annotations

import getpass
import os
import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest
from running import Service, run, set_up, until

from fasciculus.client import Client
from fasciculus.core.restore.restore_kind import SetAside
from fasciculus.models import (
    AccountInput,
    HostInput,
    MailFiles,
    Restore,
    RestoreStart,
    RestoreUndo,
    StoreInput,
)

VIRTUAL = """\
# all tenants
ferryline.example      anything
@ferryline.example     office@ferryline.example
info@millpond.example  hello@millpond.example,
# between
    orders@millpond.example
millpond.example       anything

office@ferryline.example  skipper@ferryline.example
"""
MAILBOXES = (
    "hello@millpond.example millpond.example/hello/\noffice@ferryline.example "
    "ferryline.example/office/\n"
)
TRANSPORT = (
    "millpond.example lmtp:[127.0.0.1]:24\n.millpond.example "
    "smtp:[192.0.2.1]\nferryline.example lmtp:unix:x\n"
)


def query(kind: str, path: Path, key: str) -> str:
    found = subprocess.run(
        ["postmap", "-c", str(path.parent), "-q", key, f"{kind}:{path}"],
        capture_output=True,
        text=True,
    )
    return " ".join(found.stdout.split())


class MailHost:
    """Postfix maps and a running Dovecot with a passwd-file, in a separate folder."""

    def __init__(self, folder: Path) -> None:
        self.etc = folder / "etc"
        self.vmail = folder / "vmail"
        self.etc.mkdir()
        (self.etc / "main.cf").write_text("compatibility_level = 3.6\nmail_owner = postfix\n")
        (self.etc / "master.cf").write_text("")
        for name, text in (
            ("virtual", VIRTUAL),
            ("mailboxes", MAILBOXES),
            ("transport", TRANSPORT),
        ):
            (self.etc / name).write_text(text)
            subprocess.run(["postmap", "-c", str(self.etc), f"hash:{self.etc / name}"], check=True)
        rows = []
        for box in (
            "hello@millpond.example",
            "orders@millpond.example",
            "office@ferryline.example",
        ):
            user, _, domain = box.partition("@")
            home = self.vmail / domain / user
            (home / "sieve").mkdir(parents=True)
            (home / "sieve/main.sieve").write_text(f"# {box}\nkeep;\n")
            (home / ".dovecot.sieve").symlink_to("sieve/main.sieve")
            hashed = "{PLAIN}" + f"secret-of-{user}"
            rows.append(f"{box}:{hashed}:5000:5000::{home}::userdb_quota_rule=*:storage=2G\n")
        (self.etc / "users").write_text("# Dovecot\n" + "".join(rows))
        (self.etc / "users").chmod(0o640)
        (self.etc / "dkim/millpond.example").mkdir(parents=True)
        (self.etc / "dkim/millpond.example/mail.private").write_text("a key")
        (self.etc / "dkim/millpond.example/mail.private").chmod(0o600)
        self.config = self.etc / "dovecot.conf"
        me = getpass.getuser()
        self.config.write_text(
            f"base_dir = {folder}/run\nstate_dir = {folder}/state\nlog_path = "
            f"{folder}/dovecot.log\nprotocols =\nssl = no\n"
            f"default_internal_user = {me}\ndefault_login_user = {me}\ndefault_internal_group = "
            f"{me}\n"
            f"passdb {{\n driver = passwd-file\n args = {self.etc}/users\n}}\n"
            f"userdb {{\n driver = passwd-file\n args = {self.etc}/users\n}}\n"
            "service stats {\n chroot =\n}\nservice anvil {\n chroot =\n}\n"
        )
        self.log = folder / "dovecot.log"
        self.process = subprocess.Popen(
            [shutil.which("dovecot", path="/usr/sbin"), "-F", "-c", str(self.config)]
        )
        until(lambda: self.user("office@ferryline.example"))

    def user(self, box: str) -> str:
        found = subprocess.run(
            ["doveadm", "-c", str(self.config), "user", box], capture_output=True, text=True
        )
        return found.stdout if found.returncode == 0 else ""

    def files(self) -> MailFiles:
        etc = self.etc
        return MailFiles(
            alias_map=str(etc / "virtual"),
            mailbox_map=str(etc / "mailboxes"),
            transport_map=str(etc / "transport"),
            passwd_file=str(etc / "users"),
            home=f"{self.vmail}/{{domain}}/{{user}}",
            dkim=f"{etc}/dkim/{{domain}}",
            refresh=[
                *(
                    f"postmap -c {etc} hash:{etc / name}"
                    for name in ("virtual", "mailboxes", "transport")
                ),
                f"doveadm -c {self.config} reload",
            ],
        )


@pytest.fixture
def mail_host(tmp_path: Path) -> Iterator[MailHost]:
    folder = tmp_path / "m"
    folder.mkdir()
    found = MailHost(folder)
    yield found
    found.process.terminate()
    found.process.wait(30)


@pytest.mark.parametrize("over", ["local", "ssh"])
def test_a_domain_comes_back_and_no_other_tenant_is_touched(
    running: Service, mail_host: MailHost, tmp_path: Path, over: str, request: pytest.FixtureRequest
) -> None:
    etc = mail_host.etc
    more = {}
    if over == "ssh":
        server = request.getfixturevalue("openssh")
        spec = server.host()
        reached = {
            "kind": "ssh",
            "address": spec.address,
            "port": spec.port,
            "user": spec.user,
            "host_key": spec.host_key,
        }
        more = {"connection": reached, "secrets": {"private_key": server.key}}
    (tmp_path / "millpond").mkdir()
    (tmp_path / "attic").mkdir()
    account = AccountInput(
        name="millpond",
        host="reed-1",
        home=str(tmp_path / "millpond"),
        mail_domains=["millpond.example"],
    )
    before = {
        name: (etc / name).read_text() for name in ("virtual", "mailboxes", "transport", "users")
    }
    quota = mail_host.user("hello@millpond.example")
    assert "storage=2G" in quota
    with running.client() as client:
        set_up(
            client,
            [account],
            [
                StoreInput(
                    name="attic", settings={"kind": "folder", "folder": str(tmp_path / "attic")}
                )
            ],
            contents=["mail"],
        )
        client.hosts_change("reed-1", HostInput(name="reed-1", mail=mail_host.files(), **more))
        found = run(client, "nightly")
        assert found.outcome == "done", found.tasks[0].error or found.tasks[0].warnings
        # The tenant's settings are lost or spoiled; meanwhile another tenant changes its own.
        (etc / "virtual").write_text(
            "info@millpond.example  thief@elsewhere.example\nnew@ferryline.example x@y.example\n"
        )
        (etc / "mailboxes").write_text("office@ferryline.example ferryline.example/moved/\n")
        (etc / "transport").write_text("ferryline.example lmtp:unix:x\n")
        (etc / "users").write_text(
            "".join(line for line in before["users"].splitlines(True) if "millpond" not in line)
        )
        (etc / "users").chmod(0o640)
        shutil.rmtree(etc / "dkim/millpond.example")
        shutil.rmtree(mail_host.vmail / "millpond.example/hello/sieve")
        for name in ("virtual", "mailboxes", "transport"):
            subprocess.run(["postmap", "-c", str(etc), f"hash:{etc / name}"], check=True)
        subprocess.run(["doveadm", "-c", str(mail_host.config), "reload"], check=True)
        until(lambda: not mail_host.user("hello@millpond.example"))
        spoiled = {name: (etc / name).read_bytes() for name in before}

        bundle = client.bundles_list().items[0].id
        number = client.restores_start(
            RestoreStart(bundle=bundle, mail_domains=["millpond.example"])
        ).id
        done = until(lambda: (r := client.restores_show(number)).state == "ended" and r)
        log = [line.text for line in client.every(client.restores_log, restore_id=number)]
        assert done.outcome == "done", (done.error, log)
        assert "millpond.example: its aliases are back in " + str(etc / "virtual") in log

        assert (
            query("hash", etc / "virtual", "info@millpond.example")
            == "hello@millpond.example, orders@millpond.example"
        )
        assert query("hash", etc / "virtual", "new@ferryline.example") == "x@y.example"
        assert query("hash", etc / "virtual", "millpond.example") == "anything"
        assert (
            query("hash", etc / "mailboxes", "hello@millpond.example") == "millpond.example/hello/"
        )
        assert (
            query("hash", etc / "mailboxes", "office@ferryline.example")
            == "ferryline.example/moved/"
        )
        assert query("hash", etc / "transport", "millpond.example") == "lmtp:[127.0.0.1]:24"
        assert query("hash", etc / "transport", ".millpond.example") == "smtp:[192.0.2.1]"
        assert until(lambda: mail_host.user("hello@millpond.example")) == quota
        assert mail_host.user("office@ferryline.example")
        login = [
            "doveadm",
            "-c",
            str(mail_host.config),
            "auth",
            "test",
            "hello@millpond.example",
            "secret-of-hello",
        ]
        assert subprocess.run(login, capture_output=True).returncode == 0
        script = mail_host.vmail / "millpond.example/hello/.dovecot.sieve"
        assert script.is_symlink() and script.read_text() == "# hello@millpond.example\nkeep;\n"
        key = etc / "dkim/millpond.example/mail.private"
        assert key.read_text() == "a key" and key.stat().st_mode & 0o777 == 0o600
        assert (etc / "users").stat().st_mode & 0o777 == 0o640 and "# Dovecot" in (
            etc / "users"
        ).read_text()
        assert not [p for p in os.listdir(etc) if "fasciculus" in p]
        undone(client, number, etc, spoiled)
        until(lambda: not mail_host.user("hello@millpond.example"))
        assert query("hash", etc / "virtual", "info@millpond.example") == "thief@elsewhere.example"


def undone(client: Client, number: int, etc: Path, before: dict[str, bytes]) -> None:
    """Undo a restore: refused if its lines have changed since, and to the byte if nothing has."""
    restored = {name: (etc / name).read_bytes() for name in before}
    lines = restored["virtual"].decode()
    (etc / "virtual").write_text(lines.replace("info@millpond", "other@millpond"))
    assert client.restores_show(number).aside == SetAside.KEPT

    def ended(force: bool) -> Restore:
        step = client.restores_undo(number, RestoreUndo(force=force)).id
        until(lambda: client.restores_show(step).state == "ended")
        return client.restores_show(step)

    refused = ended(False)
    assert refused.outcome == "failed" and "millpond.example in" in refused.error
    # What another tenant changes meanwhile stays.
    (etc / "virtual").write_text(lines + "later@ferryline.example z@y.example\n")
    done = ended(False)
    assert done.outcome == "done", done
    found = {name: (etc / name).read_bytes() for name in before}
    assert found.pop("virtual").endswith(b"later@ferryline.example z@y.example\n")
    assert found == {name: data for name, data in before.items() if name != "virtual"}
    gone = client.restores_drop(number).id
    until(lambda: client.restores_show(gone).outcome == "done")
    assert client.restores_show(number).aside == SetAside.GONE
