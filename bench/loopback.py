"""Servers of this machine, for the time of a comparison."""

from __future__ import annotations

import random
import socket
import time

_PATIENCE = 20.0
_PAUSE = 0.02
_PORTS = range(28_000, 32_000)


def free_port() -> int:
    """Return a port of 127.0.0.1 that nothing listens on, below those that connections get."""
    for port in random.SystemRandom().sample(_PORTS, len(_PORTS)):
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) != 0:
                return port
    raise RuntimeError("No port of 127.0.0.1 is free.")


def wait_for(port: int, program: str) -> None:
    """Come back once a program listens. Raises ``RuntimeError`` after 20 seconds."""
    deadline = time.monotonic() + _PATIENCE
    while time.monotonic() < deadline:
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(_PAUSE)
    raise RuntimeError(f"{program} does not listen.")
