"""Reads configuration files and maps of hosts, up to a size."""

from __future__ import annotations

from typing import Protocol

from ..core.errors import SettingError
from ..core.formatting import format_size

#: Bytes that a file of settings may have: a map of half a million addresses.
MOST = 32 << 20


class _Readable(Protocol):
    def read(self, count: int = -1, /) -> bytes: ...


def read_text_of(file: _Readable, path: str) -> str:
    """Read an open file as UTF-8; bytes that are none come as surrogates.

    Raises ``SettingError`` if it is larger than ``MOST``: a part of a map would be worse than none.
    """
    data = bytearray()
    while chunk := file.read(MOST + 1 - len(data)):
        data += chunk
        if len(data) > MOST:
            raise SettingError(
                f"{path} is larger than {format_size(MOST)}: this is no file of settings.",
                "Correct the host's settings.",
            )
    return data.decode("utf-8", "surrogateescape")
