"""Servers that answer without end, or never: they cost the service neither memory nor a thread."""

from __future__ import annotations

import os
import resource
import socket
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from running import service, until
from web_hook import webhook

from fasciculus.client import ClientError
from fasciculus.core.errors import ConnectionLostError, SettingError, UnreachableError
from fasciculus.models import HostInput, KindSettings, MailServer, StoreInput
from fasciculus.service import outside
from fasciculus.service.notifications import templates


def test_what_a_call_gives_and_raises_comes_back_whole() -> None:
    assert outside.call(divmod, 7, 2) == (3, 1)
    with pytest.raises(SettingError) as caught:
        outside.call(refuse)
    assert (caught.value.hint, caught.value.field) == ("Try another.", "address")
    with pytest.raises(UnreachableError, match="KeyError"):
        outside.call(odd)


def refuse() -> None:
    raise SettingError("It is wrong.", "Try another.", "address")


def odd() -> None:
    raise KeyError("x")


def test_more_memory_than_is_allowed_is_refused() -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(UnreachableError, match="256 MiB"):
        outside.call(bytearray, 1 << 30)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss < before + 50_000


def test_what_never_ends_is_ended() -> None:
    began = time.monotonic()
    with pytest.raises(ConnectionLostError, match="within 1 seconds"):
        outside.call_within(1.0, time.sleep, 600)
    assert time.monotonic() - began < 60


def test_a_process_that_dies_is_said() -> None:
    with pytest.raises(UnreachableError, match="ended without an answer"):
        outside.call(os._exit, 3)


class Rogue:
    """Sends one thing forever to each client, or nothing at all."""

    def __init__(self, sends: bytes) -> None:
        self._socket = socket.create_server(("127.0.0.1", 0))
        self.port = self._socket.getsockname()[1]
        self._sends, self.closing = sends, threading.Event()
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self) -> None:
        while True:
            try:
                link, _ = self._socket.accept()
            except OSError:
                return
            threading.Thread(target=self._flood, args=(link,), daemon=True).start()

    def _flood(self, link: socket.socket) -> None:
        sent = 0
        try:
            # Bounded, should nobody stop it.
            while self._sends and sent < 2 << 30 and not self.closing.is_set():
                sent += link.send(self._sends)
            self.closing.wait(60)
        except OSError:
            pass
        finally:
            link.close()

    def close(self) -> None:
        self.closing.set()
        self._socket.close()


@pytest.fixture
def rogue() -> Iterator[Callable[..., Any]]:
    made = []

    def make(sends: bytes) -> Rogue:
        made.append(Rogue(sends))
        return made[-1]

    yield make
    for found in made:
        found.close()


#: A packet of MariaDB that says it is 16 MiB long, and lines without an end.
FLOODS = {
    "mariadb": b"\xff\xff\xff\x00" + b"a" * 65536,
    "smtp": b"220-" + b"a" * 65536,
    "ftp": b"220-" + b"a" * 65536,
    "ssh": b"a" * 65536,
}


@pytest.mark.parametrize("what", FLOODS)
def test_a_server_without_an_end_costs_no_memory(
    tmp_path: Path, rogue: Callable[..., Any], what: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(outside, "DEADLINE", 15.0)
    server = rogue(FLOODS[what])
    with service(tmp_path / "home") as running:
        client = running.client()
        client.hosts_list()
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        if what == "mariadb":
            settings = {"kind": "mariadb", "address": "127.0.0.1", "port": server.port, "user": "x"}
            host = HostInput(name="reed-1", servers=[KindSettings(**settings)])
            tried = client.hosts_try_draft(host)
        elif what == "smtp":
            sender = "duty@heronmere.example"
            client.mail_change(
                MailServer(address="127.0.0.1", port=server.port, security="none", sender=sender)
            )
            tried = client.mail_try("duty@heronmere.example")
        else:
            kind = {"ftp": "ftp", "ssh": "sftp"}[what]
            settings = {
                "kind": kind, "address": "127.0.0.1", "port": server.port, "user": "x",
                "folder": "/bundles",
            }  # fmt: skip
            store = StoreInput(name="attic", settings=settings, secrets={"password": "x"})
            tried = client.stores_try_draft(store)
        assert not tried.ok and tried.steps[-1].text
        grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
        assert grown < 100_000, f"{grown} KiB"


def test_trials_of_messages_end_before_their_clients_give_up(
    tmp_path: Path, rogue: Callable[..., Any], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(outside, "_TRIAL_DEADLINE", 1.0)
    silent = rogue(b"")
    with service(tmp_path / "home") as running:
        client = running.client()
        client.mail_change(
            MailServer(
                address="127.0.0.1",
                port=silent.port,
                security="none",
                sender="duty@heronmere.example",
            )
        )
        tried = client.mail_try("duty@heronmere.example")
        assert not tried.ok and "within 1 seconds" in tried.steps[-1].text
        client.channels_save(webhook("bell", f"http://127.0.0.1:{silent.port}/"))
        with pytest.raises(ClientError, match="within 1 seconds"):
            client.channels_try("bell")


@pytest.mark.parametrize(
    "text", ["{{ 9**(9**9) }}", "{{ 'x'*10**11 }}", "{% for i in range(10**9) %}x{% endfor %}"]
)
def test_a_template_has_neither_all_time_nor_all_memory(
    tmp_path: Path, text: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(templates, "_SECONDS", 2.0)
    with service(tmp_path / "home") as running:
        client = running.client()
        client.hosts_list()
        from fasciculus.client import RefusedError

        with pytest.raises(RefusedError):
            client.templates_change("report.txt", text)
        # One that was saved by an earlier version falls back at night, and the message says so.
        with running.parts.records.write() as db:
            templates.settings.put(db, templates._KEY, {"alert.txt": text})
        shown = client.templates_preview("alert.txt")
        assert "Your own template for this message failed" in shown.text
        assert "Your own template for this message failed" in shown.html


def test_no_process_stays_behind() -> None:
    def count() -> int:
        return len(os.listdir("/proc/self/fd"))

    outside.call(int)
    before = count()
    for _ in range(5):
        outside.call(int)
    until(lambda: count() <= before)
