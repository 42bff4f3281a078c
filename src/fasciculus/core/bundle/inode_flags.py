"""Flags of inodes, such as immutable (``chattr(1)``, ``ioctl_iflags(2)``).

By the names that archives give them. This file uses nothing but the standard library of Python 3.7
and later: it is also sent to hosts, where it runs as it stands.
"""

import fcntl
import struct

_GET = 0x80086601
_SET = 0x40086602
_LONG = struct.Struct("@l")
#: Immutable, append-only, not to be dumped, no time of reading.
NAMES = {"schg": 0x10, "sappnd": 0x20, "nodump": 0x40, "noatime": 0x80}
_NAMED = sum(NAMES.values())


def read_flags(descriptor: int) -> str:
    """Return the names of an open file's flags, separated by commas; empty if unsupported."""
    try:
        raw = fcntl.ioctl(descriptor, _GET, bytes(_LONG.size))
    except OSError:
        return ""
    (value,) = _LONG.unpack(raw)
    if not value & _NAMED:
        return ""
    return ",".join(name for name, bit in NAMES.items() if value & bit)


def set_flags(descriptor: int, names: str) -> None:
    """Add flags to an open file. Raises ``OSError`` if the kernel refuses."""
    _write(descriptor, _value(descriptor) | _bits(names))


def replace_flags(descriptor: int, names: str) -> None:
    """Replace the flags of an open file. Raises ``OSError`` if the kernel
    refuses; flags without a name here stay.
    """
    before = _value(descriptor)
    after = before & ~_NAMED | _bits(names)
    if after != before:
        if before & NAMES["schg"]:
            # Of an immutable file nothing else may change.
            _write(descriptor, before & ~NAMES["schg"])
        _write(descriptor, after)


def _value(descriptor: int) -> int:
    (value,) = _LONG.unpack(fcntl.ioctl(descriptor, _GET, bytes(_LONG.size)))
    return int(value)


def _write(descriptor: int, value: int) -> None:
    fcntl.ioctl(descriptor, _SET, _LONG.pack(value))


def _bits(names: str) -> int:
    return sum(NAMES[name] for name in names.split(",") if name)
