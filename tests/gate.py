"""A gate in a stand-in store: it holds what is written until a test opens it."""

from __future__ import annotations

import threading

from fasciculus.demo.sftp import SftpStandIn


class Gate:
    """Holds the stand-in's writes once so many bytes have come."""

    def __init__(self, stand_in: SftpStandIn, after: int) -> None:
        self.reached, self.go_on, self._left = threading.Event(), threading.Event(), after
        self._stand_in, self._take = stand_in, stand_in.take
        stand_in.take = self._gated

    def _gated(self, count: int) -> bool:
        self._left -= count
        if self._left < 0:
            self.reached.set()
            self.go_on.wait(60)
        return self._take(count)

    def open(self) -> None:
        self.go_on.set()
        self._stand_in.take = self._take
