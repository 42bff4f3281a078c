"""A WSGI server on loopback whose connections can be broken off."""

from __future__ import annotations

import socket
import threading
from contextlib import suppress
from typing import Any

from cheroot.wsgi import Gateway_10, Server

from .misbehaviour import CutError


class _Gateway(Gateway_10):
    """Breaks the connection off where the application asks for that."""

    def respond(self) -> None:
        try:
            super().respond()
        except CutError:
            link = self.req.conn.socket
            with suppress(OSError):
                link.shutdown(socket.SHUT_RDWR)
            self.req.close_connection = True
            self.req.sent_headers = True


class HttpServer:
    """Serves an application from its own threads until it is closed."""

    def __init__(self, application: Any, port: int = 0) -> None:
        self._server = Server(("127.0.0.1", port), application, numthreads=8, shutdown_timeout=2)
        self._server.gateway = _Gateway
        self._server.prepare()
        self.port: int = self._server.bind_addr[1]
        self._thread = threading.Thread(target=self._server.serve, daemon=True, name="http")
        self._thread.start()

    @property
    def url(self) -> str:
        """Return the base address."""
        return f"http://127.0.0.1:{self.port}"

    def close(self) -> None:
        """End it, and its threads."""
        self._server.stop()
        self._thread.join(10)
