"""A store that hands back mail settings as it likes them, restored here and over SSH as root."""

from __future__ import annotations

import errno
import io
import os
import shutil
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from nights import KEY, Nights, made

from fasciculus.contracts.events import Log, from_line
from fasciculus.contracts.orders import RestoreOrder
from fasciculus.core.bundle.entry import DIR, FILE, SYMLINK, Entry
from fasciculus.hosts.local import LocalHost
from fasciculus.worker.emitter import Emitter
from fasciculus.worker.restore.task import RestoreTask
from fasciculus.worker.restore.writer import EntryWriter

DOMAIN = "millpond.example"


class MailNight:
    """One bundle of a domain's mail with messages, and its settings on a host."""

    def __init__(self, root: Any) -> None:
        self.root, self.nights = root, Nights(root)
        self.etc, self.vmail = root / "etc", root / "vmail"
        self.etc.mkdir()
        self.home = self.vmail / DOMAIN / "hello"
        (self.home / "sieve").mkdir(parents=True)
        (self.home / "Maildir/cur").mkdir(parents=True)
        (self.home / "sieve/main.sieve").write_text("keep;\n")
        (self.home / ".dovecot.sieve").symlink_to("sieve/main.sieve")
        (self.home / "Maildir/cur/1:2,S").write_text("a message")
        os.chown(self.home, 5000, 5000)
        os.chmod(self.home, 0o750)
        os.chown(self.home / "Maildir", 5000, 5001)
        os.chmod(self.home / "Maildir", 0o2770)
        (self.etc / "virtual").write_text(f"info@{DOMAIN} hello@{DOMAIN}\n")
        (self.etc / "mailboxes").write_text(f"hello@{DOMAIN} {DOMAIN}/hello/\n")
        (self.etc / "users").write_text(
            f"hello@{DOMAIN}:{{PLAIN}}x:5000:5000::{self.home}::\n"
            "other@ferryline.example:{PLAIN}y:5000:5000::/var/vmail/other::\n"
        )
        self.mail = {
            "domains": [DOMAIN],
            "alias_map": str(self.etc / "virtual"),
            "mailbox_map": str(self.etc / "mailboxes"),
            "passwd_file": str(self.etc / "users"),
            "home": f"{self.vmail}/{{domain}}/{{user}}",
            "messages": True,
        }
        (root / "outside").mkdir()
        (root / "outside/secret").write_text("of another user")
        self.nights.night(contents=["mail"], mail=self.mail)
        (self.name,) = self.nights.known

    def restore(self, host: Any = None, vouched: Any = False, **more: Any) -> Any:
        """Restore the domain, and return the result and the log."""
        store = self.nights.store_order("attic")
        if not vouched:
            store["recorded"] = []
        else:
            store["recorded"] = [{**row, "vouched": True} for row in store["recorded"]]
        values = {
            "subject": {"kind": "account", "name": "millpond", "host": "", "root": ""},
            "bundle": self.name,
            "store": store,
            "target": "",
            "mail": {**self.mail, **more.pop("mail", {})},
            "spool": str(self.root / "spool3"),
            **more,
        }
        raw = io.BytesIO()
        order = made(RestoreOrder, values)
        found = RestoreTask(order, host or LocalHost(), Emitter(raw), threading.Event()).run()
        events = map(from_line, raw.getvalue().splitlines())
        return found, [event.text for event in events if isinstance(event, Log)]


@pytest.fixture
def night(tmp_path: Path) -> Iterator[Any]:
    found = MailNight(tmp_path)
    yield found
    assert [path.name for path in (tmp_path / "outside").iterdir()] == ["secret"]
    assert (tmp_path / "outside/secret").read_text() == "of another user"
    assert (tmp_path / "outside/secret").stat().st_nlink == 1
    assert not (tmp_path / "evil").exists() and not (tmp_path / "vmail/evil").exists()


@pytest.fixture
def host(host_either_way: Any) -> Any:
    return host_either_way


def test_a_mailbox_comes_back_with_its_owners_and_modes(night: Any, host: Any) -> None:
    shutil.rmtree(night.vmail / DOMAIN)
    found, log = night.restore(host, vouched=True)
    assert found.outcome == "done", log
    info = night.home.stat()
    assert (info.st_uid, info.st_gid, info.st_mode & 0o7777) == (5000, 5000, 0o750)
    info = (night.home / "Maildir").stat()
    assert (info.st_uid, info.st_gid, info.st_mode & 0o7777) == (5000, 5001, 0o2770)
    assert (night.home / "Maildir/cur/1:2,S").read_text() == "a message"
    assert os.readlink(night.home / ".dovecot.sieve") == "sieve/main.sieve"


def test_folders_that_are_there_keep_their_owner_and_mode(night: Any, host: Any) -> None:
    os.chmod(night.home / "Maildir", 0o700)
    os.chown(night.home / "Maildir", 5002, 5002)
    (night.home / "Maildir/cur/1:2,S").unlink()
    assert night.restore(host, vouched=True)[0].outcome == "done"
    info = (night.home / "Maildir").stat()
    assert (info.st_uid, info.st_mode & 0o7777) == (5002, 0o700)
    assert (night.home / "Maildir/cur/1:2,S").exists()


def below(path: str, kind: str = FILE, **more: Any) -> Entry:
    more = {"mode": 0o644 if kind == FILE else 0o777, **more}
    return Entry("mail", f"{DOMAIN}/home/{path}".encode(), kind, **more)


def evil(root: Any, night: Any) -> dict[str, list[Entry]]:
    """Entries that a hostile store may list in addition to honest ones."""
    out, secret = os.fsencode(root / "outside"), os.fsencode(root / "outside/secret")
    return {
        "a link, then a file below it": [
            below("hello/new", SYMLINK, target=out), below("hello/new/secret")
        ],
        "a link, then a file over it": [
            below("hello/s", SYMLINK, target=secret), below("hello/s")
        ],
        "a link, then a folder below it": [
            below("hello/new", SYMLINK, target=out), below("hello/new/more", DIR)
        ],
        "a home that is a link": [
            below("eve", SYMLINK, target=out), below("eve/secret"),
        ],
        "a link on the way to another home": [
            below("eve", SYMLINK, target=os.fsencode(root)), below("eve/outside/secret"),
        ],
        "a user with a slash": [below("../../../outside/secret")],
        "a user that is two dots": [below("../evil")],
        "a hard link out": [below("hello/h", link=b"../../../outside/secret")],
        "a link, then the folder itself": [
            below("eve/Maildir", SYMLINK, target=out), below("eve/Maildir", DIR)
        ],
        "a device": [below("hello/sda", "block", rdev=(8, 0))],
        "a pipe": [below("hello/pipe", "fifo")],
    }  # fmt: skip


CASES = (
    "a link, then a file below it", "a link, then a file over it",
    "a link, then a folder below it", "a home that is a link",
    "a link on the way to another home", "a user with a slash", "a user that is two dots",
    "a hard link out", "a link, then the folder itself", "a device", "a pipe",
)  # fmt: skip


@pytest.mark.parametrize("what", CASES)
@pytest.mark.parametrize("vouched", [False, True])
def test_nothing_is_written_outside_a_mailbox(
    night: Any, host: Any, tmp_path: Path, what: Any, vouched: Any
) -> None:
    """Not even where the service itself had signed it: the rules are those of a restore."""
    name = night.name
    night.nights.forge(
        name, lambda entries: [*entries, *evil(tmp_path, night)[what]], bytes.fromhex(KEY)
    )
    try:
        found, log = night.restore(host, vouched)
    except Exception as error:
        # The line of the listing is none: nothing was written at all.
        assert "listing" in str(error), error
        return
    assert found.outcome == "failed" or what == "a link, then a file over it", log
    assert not (night.home / "sda").is_block_device()


@pytest.mark.parametrize("special_modes", [False, True])
def test_set_user_id_bits_need_to_be_vouched_for(night: Any, host: Any, special_modes: Any) -> None:
    def change(entries: Any) -> Any:
        for entry in entries:
            if entry.path.endswith(b"main.sieve"):
                entry.mode = 0o6755
        return entries

    night.nights.forge(night.name, change)
    _, log = night.restore(host, special_modes=special_modes)
    mode = (night.home / "sieve/main.sieve").stat().st_mode & 0o7777
    assert mode == (0o6755 if special_modes else 0o755)
    assert any("special modes" in line for line in log), log


def test_what_has_no_place_on_the_host_is_a_failure(night: Any) -> None:
    found, log = night.restore(vouched=True, mail={"home": "", "mailbox_map": "", "alias_map": ""})
    assert found.outcome == "failed" and "did not come back" in found.error
    assert any("name no place for home" in line for line in log)
    assert any(f"{DOMAIN}/mailboxes: the settings of the host name no file" in line for line in log)


def test_a_domain_that_the_bundle_does_not_have_is_a_failure(night: Any) -> None:
    found, _ = night.restore(vouched=True, mail={"domains": [DOMAIN, "ferryline.example"]})
    assert found.outcome == "failed" and "ferryline.example" in found.error


ROWS = {
    "root's number": ":{PLAIN}x:0:0::HOME::",
    "another home": ":{PLAIN}x:5000:5000::/root::",
    "a number nobody has": ":{PLAIN}x:5001:5000::HOME::",
    "a home by an extra field": ":{PLAIN}x:5000:5000::HOME::userdb_home=/root",
}


@pytest.mark.parametrize("what", ROWS)
def test_a_store_does_not_choose_users_and_homes(tmp_path: Path, what: Any) -> None:
    night = MailNight(tmp_path)
    honest = (night.etc / "users").read_text()
    row = f"eve@{DOMAIN}" + ROWS[what].replace("HOME", f"{night.vmail}/{DOMAIN}/eve") + "\n"
    # The store created a whole bundle, as consistent as ours.
    (night.etc / "users").write_text(honest + row)
    (night.etc / "mailboxes").write_text(f"eve@{DOMAIN} ../../etc/\n")
    night.nights.known = []
    night.nights.night(incremental=False, contents=["mail"], mail=night.mail)
    (night.name,) = night.nights.known[-1:]
    (night.etc / "users").write_text(honest)
    (night.etc / "mailboxes").write_text("")
    found, log = night.restore()
    assert found.outcome == "failed" and "the records do not vouch" in "\n".join(log)
    assert "eve" not in (night.etc / "users").read_text()
    assert "hello@" in (night.etc / "users").read_text()
    assert ".." not in (night.etc / "mailboxes").read_text()
    found, _ = night.restore(special_modes=True)
    assert row in (night.etc / "users").read_text()
    assert found.error == ""


class FullHost(LocalHost):
    """A host on which no settings file can be written."""

    def write(self, path: Any, data: Any) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")


def test_settings_that_cannot_be_written_make_the_restore_fail(night: Any) -> None:
    (night.etc / "virtual").write_text("")
    (night.etc / "users").write_text("")
    refresh = night.root / "refreshed"
    found, log = night.restore(FullHost(), vouched=True, mail={"refresh": [f"touch {refresh}"]})
    assert found.outcome == "failed"
    for what in ("aliases", "passwd"):
        line = f"{DOMAIN}/{what}: No space left on device"
        assert any(line in text for text in log), log
    assert not any(f"{DOMAIN}/mailboxes: " in text for text in log), "it is unchanged"


def test_messages_that_cannot_be_written_make_the_restore_fail(
    night: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    shutil.rmtree(night.vmail / DOMAIN)
    put = EntryWriter.put

    def full(writer: Any, path: Any, entry: Any, reader: Any) -> Any:
        if path.endswith(b"1:2,S"):
            raise OSError("it is odd")
        return put(writer, path, entry, reader)

    monkeypatch.setattr(EntryWriter, "put", full)
    found, log = night.restore(vouched=True)
    assert found.outcome == "failed"
    assert any("1:2,S: it is odd" in text for text in log), log
    assert (night.home / "sieve/main.sieve").exists(), "the others are restored"


def test_every_mailbox_gets_the_times_of_its_folders(night: Any) -> None:
    other = night.vmail / DOMAIN / "info"
    (other / "Maildir").mkdir(parents=True)
    (other / "Maildir/message").write_text("another")
    with (night.etc / "users").open("a") as file:
        file.write(f"info@{DOMAIN}:{{PLAIN}}x:5000:5000::{other}::\n")
    for folder in (night.home, night.home / "Maildir", other, other / "Maildir"):
        os.utime(folder, (1_000_000_000, 1_000_000_000))
    night.nights.night(contents=["mail"], mail=night.mail)
    night.name = night.nights.known[-1]
    shutil.rmtree(night.vmail / DOMAIN)
    assert night.restore(vouched=True)[0].outcome == "done"
    for folder in (night.home / "Maildir", other / "Maildir"):
        assert folder.stat().st_mtime == 1_000_000_000, folder


def test_nothing_is_refreshed_when_nothing_came_back(night: Any) -> None:
    refreshed = night.root / "refreshed"
    settings = {"domains": ["none.example"], "refresh": [f"touch {refreshed}"]}
    assert night.restore(vouched=True, mail=settings)[0].outcome == "failed"
    assert not refreshed.exists()
    assert (
        night.restore(vouched=True, mail={"refresh": [f"touch {refreshed}"]})[0].outcome == "done"
    )
    assert refreshed.exists()


def test_what_a_refresh_says_when_it_fails_is_in_the_log_whatever_its_bytes(night: Any) -> None:
    failing = r"printf 'no map \377'; exit 3"
    found, log = night.restore(vouched=True, mail={"refresh": [failing]})
    assert found.outcome == "warned"
    assert f"{failing} ended with code 3: no map \ufffd" in log
