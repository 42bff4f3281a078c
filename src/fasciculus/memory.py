"""Memory limits of processes."""

from __future__ import annotations

import resource
from contextlib import suppress


def limit_memory(beyond: int) -> None:
    """Bound the private memory of this process to what it has now and some bytes more."""
    with suppress(OSError, ValueError):
        with open("/proc/self/statm", "rb") as file:
            # Of statm(5): the sixth number is data and stack, in pages.
            pages = int(file.read().split()[5])
        size = pages * resource.getpagesize() + beyond
        resource.setrlimit(resource.RLIMIT_DATA, (size, size))
