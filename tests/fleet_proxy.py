"""A way between a worker and its service that a test can cut."""

from __future__ import annotations

import contextlib
import select
import socket
import threading


class Proxy:
    """Passes connections on to a port of loopback, until it is cut."""

    def __init__(self, port: int) -> None:
        self._port, self.is_cut = port, False
        self._open: set[socket.socket] = set()
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.url = f"http://127.0.0.1:{self._listening.getsockname()[1]}"
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self) -> None:
        while True:
            try:
                ours, _ = self._listening.accept()
            except OSError:
                return
            if self.is_cut:
                ours.close()
                continue
            theirs = socket.create_connection(("127.0.0.1", self._port))
            self._open |= {ours, theirs}
            threading.Thread(target=self._pass, args=(ours, theirs), daemon=True).start()

    def _pass(self, one: socket.socket, two: socket.socket) -> None:
        with one, two, contextlib.suppress(OSError, ValueError):
            while True:
                for ready in select.select([one, two], [], [])[0]:
                    data = ready.recv(65536)
                    if not data:
                        return
                    (two if ready is one else one).sendall(data)
        self._open -= {one, two}

    def cut(self) -> None:
        self.is_cut = True
        for one in list(self._open):
            with contextlib.suppress(OSError):
                one.shutdown(socket.SHUT_RDWR)

    def mend(self) -> None:
        self.is_cut = False

    def close(self) -> None:
        self.cut()
        self._listening.close()
