"""The line breaks after each step of a transfer, when it was done and before its answer: what
arrived counts, and nothing is lost for good.
"""

from __future__ import annotations

import hashlib
import os
import threading
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import paramiko
import pytest
from pyftpdlib.handlers import FTPHandler
from servers import STAND_INS

from fasciculus.demo import http_server
from fasciculus.demo.misbehaviour import CutError
from fasciculus.stores import chunk_size, open_store
from fasciculus.stores import retrying as retrying_module
from fasciculus.stores import s3 as s3_module
from fasciculus.stores.reading import read_all
from fasciculus.stores.retrying import RetryingStore
from fasciculus.stores.trying import try_store

MIB = 1024 * 1024


class Line:
    """Counts the answers of the stand-ins, and loses one of them."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> Any:  # type: ignore[misc]
        self.answers, self.lost, self.server = 0, 0, None
        # The places where each server answers: what is lost is lost there.
        respond, send, reply = (
            http_server._Gateway.respond,
            paramiko.SFTPServer._send_packet,  # type: ignore[attr-defined]
            FTPHandler.respond,
        )

        def responded(gateway: Any) -> None:
            # Who loses the answer to an exchange of tokens has lost them: that is OAuth's.
            if b"token" not in gateway.req.uri and self.is_lost():
                gateway.write = lambda chunk: None
                inner = gateway.req.server.wsgi_app

                def unheard(environment: Any, start: Any) -> None:
                    for _ in inner(environment, lambda *_, **__: lambda data: None):
                        pass
                    raise CutError

                gateway.req.server.wsgi_app = unheard
                try:
                    respond(gateway)
                finally:
                    gateway.req.server.wsgi_app = inner
            else:
                respond(gateway)

        def sent(server: Any, kind: int, packet: Any) -> Any:
            if self.is_lost():
                self.server.cut()  # type: ignore[attr-defined]
            else:
                send(server, kind, packet)

        def replied(handler: FTPHandler, text: str, *more: Any, **others: Any) -> None:
            if self.is_lost():
                handler.close()
            else:
                reply(handler, text, *more, **others)

        monkeypatch.setattr(http_server._Gateway, "respond", responded)
        monkeypatch.setattr(paramiko.SFTPServer, "_send_packet", sent)
        monkeypatch.setattr(FTPHandler, "respond", replied)

    def is_lost(self) -> bool:
        self.answers += 1
        return self.answers == self.lost

    def lose(self, number: int) -> None:
        self.answers, self.lost = 0, number


@pytest.fixture(params=STAND_INS)
def store(
    request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> Iterator[Any]:
    monkeypatch.setattr(retrying_module, "_FIRST_WAIT", 0.001)
    monkeypatch.setattr(s3_module, "_PART", MIB // 4)
    monkeypatch.setattr(chunk_size, "LEAST", MIB // 16)
    monkeypatch.setattr(chunk_size, "MOST", MIB // 4)
    line = Line(monkeypatch)
    with STAND_INS[request.param](tmp_path) as place:
        line.server = place.server
        first = open_store(place.spec)
        assert all(step.ok for step in try_store(first, make_root=True))
        first.close()
        found = RetryingStore(open_store(place.spec), threading.Event(), lambda text: None)
        found.connect()
        found.put_bytes(b"x", "a/first")
        yield found, line
        line.lose(0)
        found.close()


def steps(line: Any, work: Any) -> Any:
    """The number of answers during an operation."""
    line.lose(0)
    work("a/counted")
    return line.answers


def test_a_piece_is_whole_whichever_answer_is_lost(store: Any, tmp_path: Path) -> None:
    there, line = store
    local = tmp_path / "piece"
    local.write_bytes(os.urandom(400_000))
    wanted = hashlib.sha256(local.read_bytes()).hexdigest()

    def put(path: Any) -> None:
        there.put(local, path, lambda count: None)

    for number in range(1, steps(line, put) + 1):
        line.lose(number)
        put(f"a/piece-{number}")
        assert there.size(f"a/piece-{number}") == local.stat().st_size
        assert hashlib.sha256(read_all(there, f"a/piece-{number}")).hexdigest() == wanted


def test_small_files_names_and_removals_survive_every_lost_answer(store: Any) -> None:
    there, line = store

    def small(path: Any) -> None:
        there.put_bytes(b"small", path)

    def renamed(path: Any) -> None:
        line.answers -= 1000  # the file itself is not what is tried here
        there.put_bytes(b"renamed", f"{path}.from")
        line.answers = 0
        there.rename(f"{path}.from", path)

    def removed(path: Any) -> None:
        line.answers -= 1000
        there.put_bytes(b"gone", path)
        line.answers = 0
        there.remove(path)

    for work, left in ((small, b"small"), (renamed, b"renamed"), (removed, None)):
        for number in range(1, steps(line, work) + 1):
            line.lose(number)
            path = f"a/{work.__name__}-{number}"
            work(path)
            line.lose(0)
            assert (read_all(there, path) if there.size(path) is not None else None) == left, number
            assert there.size(f"{path}.from") is None
