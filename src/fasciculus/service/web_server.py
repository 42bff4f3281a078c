"""The web server: bounds on what comes before anybody has signed in."""

from __future__ import annotations

import resource
import time
from typing import Any

from flask import Flask
from waitress.channel import HTTPChannel
from waitress.server import BaseWSGIServer, create_server

from ..config import Config
from ..core.errors import FasciculusError

_THREADS = 48
_CONNECTIONS = 2000
_FILES = 8192
#: Seconds for a request to arrive, and for a connection to lie idle.
_PATIENCE = 60
_LOOK_EVERY = 10
_HEADERS = 64 * 1024
BODY = 8 * 1024 * 1024
_FORWARDED = {"x-forwarded-for", "x-forwarded-proto", "x-forwarded-host"}


class BoundedChannel(HTTPChannel):  # type: ignore[misc]
    """A connection whose time counts from the first byte of a request that is not whole yet.

    Whoever sends a byte now and then does not keep it open for ever.
    """

    _since = 0.0

    def received(self, data: bytes) -> bool:
        """Take more of a request."""
        taken: bool = super().received(data)
        if self.request is None:
            self._since = 0.0
        else:
            self._since = self._since or time.time()
            self.last_activity = self._since
        return taken


def listen(app: Flask, config: Config) -> BaseWSGIServer:
    """The web server, bound to its address. Raises ``FasciculusError`` where that is taken."""
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
    """Whose word counts for where a request comes from."""
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
