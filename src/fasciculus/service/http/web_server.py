"""The web server: bounds on what comes before anybody has signed in."""

from __future__ import annotations

import resource
import time
from typing import Any

from flask import Flask
from waitress.channel import ClientDisconnected, HTTPChannel
from waitress.server import BaseWSGIServer, create_server

from ...config import Config
from ...core.errors import FasciculusError

_THREADS = 64
_CONNECTIONS = 2000
_FILES = 8192
#: Seconds for a request to arrive, and for a connection to lie idle.
_PATIENCE = 60
_LOOK_EVERY = 10
#: Seconds that a client may take nothing of a long answer that waits for it.
_STALLED = 30
_HEADERS = 64 * 1024
BODY = 8 * 1024 * 1024
_FORWARDED = {"x-forwarded-for", "x-forwarded-proto", "x-forwarded-host"}


class BoundedChannel(HTTPChannel):  # type: ignore[misc]
    """A connection that holds neither a place nor a thread for as long as its client likes.

    Its time counts from the first byte of an incomplete request, so that a client cannot keep it
    open by sending a byte now and then. A request that comes with another one waits until the
    answer to the first was sent, without a thread; and a client that takes nothing of a long answer
    for a while has gone.
    """

    request: Any
    sent_continue: bool
    _since = 0.0
    #: What came after a whole request.
    _later = b""

    def received(self, data: bytes) -> bool:
        """Take more of a request, and no more than one."""
        if self.requests or self._later:
            self._later += data
            return True
        taken = self._parsed(data)
        if self.request is None:
            self._since = 0.0
        else:
            self._since = self._since or time.time()
            self.last_activity = self._since
        return taken

    def _parsed(self, data: bytes) -> bool:
        """Hand the bytes to the parser until one request is whole, and keep the others."""
        while data and not self.requests:
            data = self._one(data)
            if self.will_close or self.close_when_flushed:
                return False
        self._later = data
        return True

    def _one(self, data: bytes) -> bytes:
        """Parse bytes of one request; gives those that belong to the next."""
        with self.requests_lock:
            if self.will_close or self.close_when_flushed:
                return b""
            if self.request is None:
                self.request = self.parser_class(self.adj)
            used: int = self.request.received(data)
            if (
                self.request.expect_continue
                and self.request.headers_finished
                and not self.sent_continue
            ):
                self.send_continue()
            if self.request.completed:
                self.sent_continue = False
                if not self.request.empty:
                    self.requests.append(self.request)
                    self.server.add_task(self)
                self.request = None
        return data[used:]

    def readable(self) -> bool:
        """Return whether more may be read: not while some of it is waiting."""
        return not self._later and bool(super().readable())

    def writable(self) -> bool:
        """Return whether there is other work than reading."""
        return bool(super().writable()) or self._next_may_begin

    @property
    def _next_may_begin(self) -> bool:
        return bool(self._later and not self.requests and not self.total_outbufs_len)

    def handle_write(self) -> None:
        """Send what waits; then the next request may begin."""
        super().handle_write()
        if self._next_may_begin and self.connected and not self.will_close:
            data, self._later = self._later, b""
            self.received(data)

    def _flush_outbufs_below_high_watermark(self) -> None:
        """Wait until the client has taken enough of a long answer, as long as it takes anything."""
        if self.total_outbufs_len <= self.adj.outbuf_high_watermark:
            return
        with self.outbuf_lock:
            left, since = self.total_outbufs_len, time.monotonic()
            while self.connected and self.total_outbufs_len > self.adj.outbuf_high_watermark:
                self.server.pull_trigger()
                self.outbuf_lock.wait(_LOOK_EVERY)
                if self.total_outbufs_len != left:
                    left, since = self.total_outbufs_len, time.monotonic()
                elif time.monotonic() - since > _STALLED:
                    self.will_close = True
                    self.server.pull_trigger()
                    raise ClientDisconnected


def listen(app: Flask, config: Config) -> BaseWSGIServer:
    """Return the web server, bound to its address. Raises ``FasciculusError`` where that
    is taken.
    """
    _allow_files()
    sockets: dict[int, Any] = {}
    try:
        server = create_server(
            app,
            map=sockets,
            host=config.address,
            port=config.port,
            threads=_THREADS,
            ident=None,
            connection_limit=_CONNECTIONS,
            channel_timeout=_PATIENCE,
            cleanup_interval=_LOOK_EVERY,
            max_request_header_size=_HEADERS,
            max_request_body_size=BODY,
            asyncore_use_poll=True,
            clear_untrusted_proxy_headers=True,
            **_proxy(config.trusted_proxy),
        )
    except OSError as error:
        raise FasciculusError(
            f"Port {config.port} on {config.address} cannot be used: {error.strerror}.",
            "Stop what uses it, or set FASCICULUS_PORT.",
        ) from error
    for part in sockets.values():
        if isinstance(part, BaseWSGIServer):
            part.channel_class = BoundedChannel
    return server


def _proxy(address: str) -> dict[str, Any]:
    """Return the options for a trusted proxy."""
    if not address:
        return {}
    return {
        "trusted_proxy": address,
        "trusted_proxy_count": 1,
        "trusted_proxy_headers": _FORWARDED,
    }


def _allow_files() -> None:
    """As many open files as connections, workers and stores together may need."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    wanted = _FILES if hard == resource.RLIM_INFINITY else min(_FILES, hard)
    if soft != resource.RLIM_INFINITY and soft < wanted:
        resource.setrlimit(resource.RLIMIT_NOFILE, (wanted, hard))
