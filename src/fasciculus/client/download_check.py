"""A check of a download's completeness and digest while it arrives."""

from __future__ import annotations

import zlib
from typing import Protocol

import zstandard

from .errors import DownloadError

_GZIP = 31
_ZIP_END = b"PK\x05\x06"
_ZIP_TAIL = 22
_SQL_END = b"-- The end of the dump.\n"


class Check(Protocol):
    """Takes the bytes in order."""

    @property
    def whole(self) -> bool:
        """Return whether the download was complete."""

    def take(self, chunk: bytes) -> None:
        """Add a chunk of the download."""


class _Gzip:
    def __init__(self) -> None:
        self._inflater = zlib.decompressobj(wbits=_GZIP)

    @property
    def whole(self) -> bool:
        return self._inflater.eof

    def take(self, chunk: bytes) -> None:
        try:
            while chunk:
                self._inflater.decompress(chunk, 1024 * 1024)
                chunk = self._inflater.unconsumed_tail
        except zlib.error as error:
            raise DownloadError(f"The download is damaged: {error}.", "Start it again.") from error


class _Zstd:
    def __init__(self) -> None:
        self._inflater = zstandard.ZstdDecompressor().decompressobj()

    @property
    def whole(self) -> bool:
        return self._inflater.eof

    def take(self, chunk: bytes) -> None:
        try:
            self._inflater.decompress(chunk)
        except zstandard.ZstdError as error:
            raise DownloadError(f"The download is damaged: {error}.", "Start it again.") from error


class _Zip:
    """A zip archive ends with its directory; each member has a checksum that the unpacker holds it
    to.
    """

    def __init__(self) -> None:
        self._tail = b""

    @property
    def whole(self) -> bool:
        return self._tail[-_ZIP_TAIL:].startswith(_ZIP_END)

    def take(self, chunk: bytes) -> None:
        self._tail = (self._tail + chunk)[-_ZIP_TAIL:]


class _Sql:
    """An SQL file ends with a comment."""

    def __init__(self) -> None:
        self._tail = b""

    @property
    def whole(self) -> bool:
        return self._tail == _SQL_END

    def take(self, chunk: bytes) -> None:
        self._tail = (self._tail + chunk)[-len(_SQL_END) :]


def whole_check(form: str) -> Check:
    """Return the check for a form of archive."""
    match form:
        case "tar.zst":
            return _Zstd()
        case "zip":
            return _Zip()
        case "sql":
            return _Sql()
    return _Gzip()
