"""Patterns of paths on a host, expanded with what every kind of host can tell."""

from __future__ import annotations

import os
from fnmatch import fnmatchcase

from .base import HostConnection

_MARKS = "*?["


def expand(host: HostConnection, pattern: str) -> list[str]:
    """Return the paths that a pattern with ``*``, ``?`` and ``[…]`` means, sorted; one without is
    itself, if there.
    """
    found = [""]
    for part in pattern.strip("/").split("/"):
        following = []
        for folder in found:
            if not any(mark in part for mark in _MARKS):
                following.append(f"{folder}/{part}")
            elif host.type_of(folder or "/") == "dir":
                try:
                    names = [os.fsdecode(name) for name in host.names(os.fsencode(folder or "/"))]
                except OSError:
                    continue
                following += [
                    f"{folder}/{name}"
                    for name in sorted(names)
                    if fnmatchcase(name, part) and (not name.startswith(".") or part[0] == ".")
                ]
        found = following
    return [path for path in found if host.type_of(path)]
