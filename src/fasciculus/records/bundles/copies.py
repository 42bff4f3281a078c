"""Copies of the records: one file that goes to stores and comes back, sealed with the key.

A line that says what it is, then lines of tokens (Fernet), each of them a part of the zstd-packed
database with its number and whether it is the last, so that none can be left out or exchanged.
"""

from __future__ import annotations

import sqlite3
import struct
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import BinaryIO

import zstandard
from cryptography.fernet import Fernet, InvalidToken

from ...core.errors import DamagedError, SettingError
from ..db import check_whole

_HEAD = b"fasciculus-records 1\n"
_PART = 1024 * 1024
_NUMBER = struct.Struct(">Q?")
_LONGEST = 2 * _PART


def copy_out(records: Path, target: Path, key: bytes, spool: Path) -> None:
    """Write a sealed copy of the present records, while the service continues."""
    whole = spool / "records.sqlite"
    try:
        with closing(sqlite3.connect(records)) as source, closing(sqlite3.connect(whole)) as copy:
            source.backup(copy)
            # Nothing on a store gives access to a session.
            copy.execute("DELETE FROM session")
            copy.commit()
        with whole.open("rb") as raw, target.open("wb") as sink:
            sink.write(_HEAD)
            packed = zstandard.ZstdCompressor(level=6).stream_reader(raw)
            sealer, number = Fernet(key), 0
            part = packed.read(_PART)
            while True:
                following = packed.read(_PART)
                sink.write(sealer.encrypt(_NUMBER.pack(number, not following) + part) + b"\n")
                if not following:
                    break
                part, number = following, number + 1
    finally:
        whole.unlink(missing_ok=True)


def unseal(copy: Path, target: Path, key: bytes) -> None:
    """Write the records out of a copy, and look whether they are whole.

    Raises :class:`SettingError` for a file that is no copy, and :class:`DamagedError` for one that
    the key does not open, or that was cut off or altered.
    """
    with copy.open("rb") as raw, target.open("wb") as sink:
        if raw.readline(len(_HEAD)) != _HEAD:
            raise SettingError(
                f"{copy} is not a copy of the records.",
                "Copies are in the folder records/ of the stores that have them.",
            )
        inflater = zstandard.ZstdDecompressor().decompressobj()
        try:
            for part in _parts(raw, Fernet(key)):
                sink.write(inflater.decompress(part))
        except zstandard.ZstdError as error:
            raise DamagedError(f"{copy} is damaged: {error}.", "Take another copy.") from error
    check_whole(target)


def _parts(raw: BinaryIO, opener: Fernet) -> Iterator[bytes]:
    number, is_last = 0, False
    while line := raw.readline(_LONGEST):
        try:
            data = opener.decrypt(line.strip())
        except InvalidToken as error:
            raise DamagedError(
                "The key does not open this copy, or the copy was altered.",
                "Bring back keys/secrets.key of the service that made it, or take another copy.",
            ) from error
        found, is_last = _NUMBER.unpack(data[: _NUMBER.size])
        if found != number:
            break
        number += 1
        yield data[_NUMBER.size :]
        if is_last:
            break
    if not is_last or raw.read(1):
        raise DamagedError("The copy was cut off or altered.", "Take another copy.")
