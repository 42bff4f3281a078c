"""A Unix socket in a private folder for a driver that cannot be handed a connection."""

from __future__ import annotations

import shutil
import socket
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

_CHUNK = 256 * 1024
_SECONDS = 20.0


@contextmanager
def bridged(link: Any, port: int) -> Iterator[str]:
    """Provide a folder with the socket of a server that is reached through ``link``, a connection
    of a host; only this process can enter it, and one connection is taken.
    """
    folder = tempfile.mkdtemp(prefix="fasciculus-")
    listener = socket.socket(socket.AF_UNIX)
    threads: list[threading.Thread] = []
    try:
        listener.bind(str(Path(folder) / f".s.PGSQL.{port}"))
        listener.listen(1)
        listener.settimeout(_SECONDS)
        first = threading.Thread(target=_serve, args=(listener, link, threads), daemon=True)
        threads.append(first)
        first.start()
        yield folder
    finally:
        with suppress(OSError):
            listener.close()
        with suppress(Exception):
            link.close()
        shutil.rmtree(folder, ignore_errors=True)
        for thread in threads:
            thread.join(_SECONDS)


def _serve(listener: socket.socket, link: Any, threads: list[threading.Thread]) -> None:
    try:
        near, _ = listener.accept()
    except OSError:
        return
    back = threading.Thread(target=_pump, args=(link, near), daemon=True)
    threads.append(back)
    back.start()
    with near:
        _pump(near, link)
        back.join(_SECONDS)


def _pump(source: Any, target: Any) -> None:
    """Send what comes from one end to the other, until either is closed."""
    with suppress(OSError, EOFError):
        while data := source.recv(_CHUNK):
            target.sendall(data)
    with suppress(Exception):
        target.shutdown(socket.SHUT_WR)
