"""Answers of WebDAV servers: each status means one thing, and ranges may be ignored."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

import pytest

from fasciculus.core.errors import (
    ConnectionLostError,
    MissingError,
    StoreFullError,
    UnreachableError,
)
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.webdav import WebDavStore, web_address

CONTENT = bytes(range(256)) * 40


class Handler(BaseHTTPRequestHandler):
    """Answers with the status that the path names; 200 has the whole content, whatever range."""

    def do_GET(self) -> None:
        status = int(self.path.rpartition("/")[2])
        body = CONTENT if status == 200 else b""
        self.send_response(status)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: Any) -> None:
        pass


@pytest.fixture
def store() -> Iterator[Any]:
    with ThreadingHTTPServer(("127.0.0.1", 0), Handler) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        url = f"http://127.0.0.1:{server.server_port}/dav"
        settings = {"kind": "webdav", "url": url, "user": "fasciculus"}
        found = open_store(store_spec("library", settings, {"password": "x"}))
        yield found
        found.close()
        server.shutdown()


def test_a_server_that_ignores_ranges_gives_the_right_bytes(store: WebDavStore) -> None:
    for offset, length in ((0, None), (300, None), (300, 50), (0, 7), (len(CONTENT), None)):
        end = len(CONTENT) if length is None else offset + length
        with store.open("200", offset, length) as file:
            assert file.read() == CONTENT[offset:end], (offset, length)


@pytest.mark.parametrize(
    "status, error, words, field",
    [
        (404, MissingError, "is not on store “library”", None),
        (410, MissingError, "is not on store “library”", None),
        (507, StoreFullError, "is full", None),
        (413, StoreFullError, "is full", None),
        (401, UnreachableError, "does not accept what store “library” signs in with", "password"),
        (403, UnreachableError, "does not permit 403", None),
        (405, UnreachableError, "refused 405 (status 405)", None),
        (302, UnreachableError, "redirects to another address", None),
        (503, ConnectionLostError, "does not answer now (status 503)", None),
    ],
)
def test_each_status_is_its_own_error(
    store: WebDavStore, status: int, error: type[Any], words: str, field: str | None
) -> None:
    with pytest.raises(error) as caught:
        store.open(str(status))
    assert words in caught.value.message and caught.value.field == field
    assert isinstance(caught.value, ConnectionLostError) == (error is ConnectionLostError)


@pytest.mark.parametrize(
    "address",
    ["drive.example/dav", "ftp://drive.example/dav", "https://", "https://a:b@drive.example"],
)
def test_an_address_that_is_none_is_refused(address: str) -> None:
    with pytest.raises(ValueError, match="Enter"):
        web_address(address)
