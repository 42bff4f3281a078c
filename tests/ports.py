"""Free ports of loopback, for servers that are started after they were asked for.

A port that the system picks lies where outgoing connections get theirs: between the question and
the start of the server, a client of another test may hold it. These are below that range, and each
process of the tests has its own.
"""

from __future__ import annotations

import os
import random
import socket

_FIRST, _EACH, _PROCESSES = 12_000, 2_000, 8
_number = int(os.environ.get("PYTEST_XDIST_WORKER", "gw0").removeprefix("gw")) % _PROCESSES
_own = range(_FIRST + _EACH * _number, _FIRST + _EACH * (_number + 1))
#: Two runs of the tests at once hardly ask in the same order. Hypothesis sets the seed of others.
_untaken = iter(random.SystemRandom().sample(_own, len(_own)))


def free_port() -> int:
    """A port of 127.0.0.1 that nothing listens on, and that was not given before."""
    for port in _untaken:
        with socket.socket() as probe:
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return port
    raise OSError("no free port on loopback")


def is_open(port: int, address: str = "127.0.0.1") -> bool:
    """Whether something listens on a port."""
    with socket.socket() as probe:
        return probe.connect_ex((address, port)) == 0
