"""A system user in the lines of ``passwd(5)``, ``group(5)`` and ``shadow(5)``."""

from __future__ import annotations

import re
from dataclasses import dataclass

from .errors import DamagedError

_SHELL = re.compile(r"/[A-Za-z0-9/_.-]+")
_HASH = re.compile(r"[A-Za-z0-9./$,=*!_-]*")
_GECOS = re.compile(r"[^:\x00-\x1f\x7f]*")
_HIGHEST = 2**31


@dataclass(frozen=True, slots=True)
class SystemUser:
    """A user as a bundle has it. ``password`` is the hash, empty if the bundle has none."""

    name: str
    uid: int
    gid: int
    gecos: str
    home: str
    shell: str
    password: str = ""


def system_user(name: str, passwd: str, shadow: str) -> SystemUser:
    """Return the user of lines in a bundle. Raises ``DamagedError`` for lines that are none, or
    those of another user.
    """
    fields = passwd.strip().split(":")
    if len(fields) != 7 or fields[0] != name or "\n" in passwd.strip():
        raise DamagedError(f"The bundle's line of {name} in passwd is none.")
    _, _, uid, gid, gecos, home, shell = fields
    if not (_number(uid) and _number(gid) and home.startswith("/")):
        raise DamagedError(f"The bundle's line of {name} in passwd has wrong numbers or no home.")
    if not _SHELL.fullmatch(shell) or not _GECOS.fullmatch(gecos):
        raise DamagedError(f"The bundle's line of {name} in passwd has characters that none may.")
    return SystemUser(name, int(uid), int(gid), gecos, home, shell, _password(name, shadow))


def _number(text: str) -> bool:
    """Return whether a text is the number of a user or group, and not root's."""
    return text.isascii() and text.isdecimal() and 0 < int(text) < _HIGHEST


def _password(name: str, shadow: str) -> str:
    fields = shadow.strip().split(":")
    if len(fields) < 2 or fields[0] != name or not _HASH.fullmatch(fields[1]):
        return ""
    return fields[1]
