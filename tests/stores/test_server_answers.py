"""Errors of unexpected servers: each has its own sentence and hint."""

from __future__ import annotations

import asyncio
import socket
import ssl
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest
from servers import Place, certificate, ftp_place, ftp_settings, s3_place, webdav_place

from fasciculus import ftp as ftp_module
from fasciculus.core.errors import ConnectionLostError, UnreachableError
from fasciculus.core.steps import Step
from fasciculus.demo.certificate import public_part
from fasciculus.service import outside
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import StoreSpec, connected
from fasciculus.stores.trying import try_store


def failing(spec: StoreSpec) -> Step:
    step = try_store(open_store(spec), make_root=True)[-1]
    assert not step.ok and step.hint
    return step


def changed(place: Place, **settings: Any) -> StoreSpec:
    return replace(place.spec, settings=place.spec.settings.model_copy(update=settings))


@contextmanager
def silent_port() -> Iterator[int]:
    """A port that takes connections, and says nothing."""
    with socket.socket() as listening:
        listening.bind(("127.0.0.1", 0))
        listening.listen()
        yield listening.getsockname()[1]


def test_a_port_that_never_greets_is_not_waited_for_as_long_as_a_transfer(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.setattr(ftp_module, "TIMEOUT", 0.05)
    with silent_port() as port:
        step = failing(store_spec("space", ftp_settings(port), {"password": "x"}))
    assert step.name == "connect" and "does not greet as an FTP server" in step.text
    assert step.field == "port" and "990" in step.hint


def test_a_server_without_tls_is_named(tmp_path: Path) -> None:
    with ftp_place()(tmp_path) as place:
        step = failing(changed(place, security="tls"))
        assert (step.name, step.field) == ("server", "security")
        assert "offers no TLS: 50" in step.text and "SFTP" in step.hint


@pytest.fixture
def space(tmp_path: Path) -> Iterator[Place]:
    with ftp_place()(tmp_path) as place:
        assert all(step.ok for step in try_store(open_store(place.spec), make_root=True))
        yield place


def refusing(place: Place, command: str, answer: str) -> None:
    """Have the stand-in answer a command in this way."""
    # The class that answers: pyftpdlib finds its commands there.
    setattr(place.server._handler, f"ftp_{command}", lambda handler, *_: handler.respond(answer))


def test_why_a_folder_was_not_made_is_what_is_said(space: Place) -> None:
    refusing(space, "MKD", "550 Only its owner may make folders.")
    with connected(open_store(space.spec)) as store:
        with pytest.raises(UnreachableError, match="Only its owner may make folders"):
            store.put_bytes(b"x", "new/file")


def test_a_refused_rename_is_named(space: Place) -> None:
    refusing(space, "RNTO", "553 Not for you.")
    with connected(open_store(space.spec)) as store:
        with pytest.raises(
            UnreachableError, match=r"refused to rename .*: 553 Not for you"
        ) as found:
            store.put_bytes(b"x", "file")
        assert "right to rename" in found.value.hint


def test_who_was_signed_out_signs_in_again(space: Place) -> None:
    with connected(open_store(space.spec)) as store:
        refusing(space, "SIZE", "530 Please sign in.")
        with pytest.raises(ConnectionLostError, match="signing in again: 530 Please sign in"):
            store.size("file")
        # Whether the connection was given up: a store does not tell.
        assert not store._link.is_open  # type: ignore[attr-defined]


def test_what_the_server_says_of_a_password_is_repeated(space: Place) -> None:
    step = failing(replace(space.spec, secrets={"password": "wrong"}))
    assert step.name == "sign in" and ": 530 " in step.text


def test_addresses_of_folders_may_have_any_letters(tmp_path: Path) -> None:
    with webdav_place(tmp_path) as place:
        for name in ("Bücher & mehr", "100% ours", "already%20encoded"):
            url = f"{place.server.url}/dav/{name}"
            spec = replace(
                place.spec,
                settings=type(place.spec.settings)(url=url, user="fasciculus"),  # type: ignore[call-arg]
            )
            assert all(step.ok for step in try_store(open_store(spec), make_root=True)), name
        made = {path.name for path in place.server.root.iterdir()}
        assert {"Bücher & mehr", "100% ours", "already encoded"} <= made


@contextmanager
def over_tls(port: int, pem: Path) -> Iterator[int]:
    """A port that leads to another one, over TLS."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(pem)
    loop = asyncio.new_event_loop()

    async def copy(source: Any, sink: Any) -> None:
        try:
            while data := await source.read(65536):
                sink.write(data)
                await sink.drain()
        except OSError:
            pass
        finally:
            sink.close()

    async def lead(source: Any, sink: Any) -> None:
        there, back = await asyncio.open_connection("127.0.0.1", port)
        await asyncio.gather(copy(source, back), copy(there, sink))

    server = loop.run_until_complete(asyncio.start_server(lead, "127.0.0.1", 0, ssl=context))
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    thread.start()
    try:
        yield server.sockets[0].getsockname()[1]
    finally:
        loop.call_soon_threadsafe(loop.stop)
        thread.join(10)


def test_a_bucket_behind_a_certificate_of_ones_own(tmp_path: Path) -> None:
    pem = certificate(tmp_path)
    with s3_place(tmp_path) as place, over_tls(place.server.port, pem) as port:
        endpoint = f"https://127.0.0.1:{port}"
        step = failing(changed(place, endpoint=endpoint))
        assert (step.name, step.field) == ("server", "certificate")
        assert "does not prove that it is the right server" in step.text
        accepted = changed(place, endpoint=endpoint, certificate=public_part(pem))
        assert all(step.ok for step in try_store(open_store(accepted), make_root=True))
        plain = failing(changed(place, endpoint=f"https://127.0.0.1:{place.server.port}"))
        assert plain.name == "server" and "no secured connection" in plain.text
        assert "is its port one for HTTPS?" in plain.hint


def hanging(_: str) -> str:
    threading.Event().wait(60)
    return ""


def tried_for(seconds: float) -> str:
    error = ConnectionLostError("It did not answer in time.")
    with outside.ended_after(seconds, error):
        try:
            return hanging("x")
        except ConnectionLostError as found:
            return f"said: {found.message}"


def test_a_trial_ends_at_the_step_that_hangs() -> None:
    assert outside.call(tried_for, 0.05) == "said: It did not answer in time."
    assert outside.TRIAL < outside._TRIAL_DEADLINE < 60, "what clients wait for an answer"
