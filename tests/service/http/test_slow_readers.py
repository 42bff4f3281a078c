"""Clients that ask for much and read nothing: they hold no thread that the API needs."""

from __future__ import annotations

import os
import socket
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path
from statistics import quantiles

import pytest
from running import folder_stores, run, service, set_up, small_account, until

from fasciculus.client import RefusedError
from fasciculus.client.client import Client
from fasciculus.service.downloads import MOST
from fasciculus.service.http import web_server
from fasciculus.service.http.app import CONSOLE

STUCK = 500


def connect(port: int, text: str) -> socket.socket:
    """A connection that sends requests and reads nothing."""
    link = socket.socket()
    link.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
    link.connect(("127.0.0.1", port))
    link.sendall(text.encode())
    return link


def p95(client: Client, rounds: int = 60) -> float:
    """Seconds that 95 % of calls take at most."""
    taken = []
    for _ in range(rounds):
        began = time.monotonic()
        client.jobs_list()
        taken.append(time.monotonic() - began)
    return quantiles(taken, n=20)[-1]


@pytest.fixture
def large_asset() -> Iterator[str]:
    assert CONSOLE.is_dir(), "the console is not built"
    path = CONSOLE / "assets" / f"test-{os.getpid()}.bin"
    path.write_bytes(bytes(3_000_000))
    yield f"/assets/{path.name}"
    path.unlink()


def test_500_that_pipeline_requests_for_an_asset_and_read_nothing(
    tmp_path: Path, large_asset: str
) -> None:
    request = f"GET {large_asset} HTTP/1.1\r\nHost: x\r\n\r\n" * 30
    with service(tmp_path / "home") as running:
        client = running.client()
        quiet = p95(client)
        links = [connect(running.port, request) for _ in range(STUCK)]
        try:
            loud = p95(client)
        finally:
            for link in links:
                link.close()
        # Whatever the machine: nothing waits for a thread or for those who do not read.
        assert loud < max(1.0, quiet * 50), (quiet, loud)


def test_downloads_that_nobody_reads_leave_the_api_alone_and_end(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(web_server, "_STALLED", 2)
    monkeypatch.setattr(web_server, "_LOOK_EVERY", 1)
    with service(tmp_path / "home") as running:
        client = running.client()
        account = small_account(tmp_path, "millpond")
        for number in range(3):
            (tmp_path / f"millpond/film-{number}").write_bytes(os.urandom(20_000_000))
        set_up(client, [account], folder_stores(tmp_path, "attic"))
        assert run(client, "nightly").outcome == "done"
        bundle = client.bundles_list().items[0].id
        request = (
            f"GET /api/v1/bundles/{bundle}/download?form=tar.zst HTTP/1.1\r\nHost: x\r\n"
            f"Authorization: Bearer {running.token}\r\n\r\n"
        )
        links = [connect(running.port, request) for _ in range(60)]
        try:
            assert p95(client, 30) < 10.0
            refused = [link for link in links if _answer(link) == b"503"]
            assert len(refused) >= 60 - 2 * MOST
            # Clients that read nothing are dropped after a while, and others are served.
            target = tmp_path / "whole.tar.zst"
            until(lambda: _downloaded(client, bundle, target), 60)
            assert target.stat().st_size > 60_000_000
        finally:
            for link in links:
                link.close()


def _answer(link: socket.socket) -> bytes:
    """The status of a connection's answer so far."""
    link.settimeout(20)
    with suppress(OSError):
        return link.recv(12)[9:12]
    return b""


def _downloaded(client: Client, bundle: int, target: Path) -> bool:
    with suppress(RefusedError):
        client.bundles_download(bundle, target, form="tar.zst")
    return target.exists()


def test_pipelined_requests_are_answered_in_order(tmp_path: Path) -> None:
    with service(tmp_path / "home") as running:
        running.client().jobs_list()
        lines = [
            "GET /health HTTP/1.1\r\nHost: x\r\n\r\n",
            "POST /api/v1/session HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\n"
            "Content-Length: 2\r\n\r\n{}",
            "GET /api/v1/openapi.json HTTP/1.1\r\nHost: x\r\n\r\n",
            "GET /health HTTP/1.1\r\nHost: x\r\nConnection: close\r\n\r\n",
        ]
        for size in (1, 7, 10_000):
            with socket.create_connection(("127.0.0.1", running.port)) as link:
                whole = "".join(lines).encode()
                for start in range(0, len(whole), size):
                    link.sendall(whole[start : start + size])
                link.settimeout(30)
                found = b""
                while chunk := link.recv(65536):
                    found += chunk
            statuses = [part[:3] for part in found.split(b"HTTP/1.1 ")[1:]]
            assert statuses == [b"200", b"401", b"401", b"200"]
