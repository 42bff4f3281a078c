"""A bundle, or part of it, as one stream in a format that ordinary programs open."""

from __future__ import annotations

import time
import zipfile
import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import IO, cast

import zstandard

from ..core.bundle.entry import (
    DIR,
    FILE,
    SYMLINK,
    Entry,
)
from ..core.bundle.reader import BundleReader
from ..core.bundle.tar_header import is_utf8
from ..core.errors import SettingError
from .omissions import FILE_NAME, Omissions
from .tar_export import ExportSelection, contents_or_none, tar_stream

#: A zip archive has room for the years 1980 to 2107, in steps of two seconds.
_EARLIEST = int(datetime(1980, 1, 1, tzinfo=UTC).timestamp())
_LATEST = int(datetime(2107, 12, 31, 23, 59, 58, tzinfo=UTC).timestamp())
_TYPES = {FILE: 0o100000, DIR: 0o040000, SYMLINK: 0o120000}


@dataclass(frozen=True, slots=True)
class ArchiveFormat:
    """A format of archive: its ending, its media type, and how it is made."""

    suffix: str
    media: str
    make: Callable[[ExportSelection], Iterator[bytes]]


def _gzip(wanted: ExportSelection) -> Iterator[bytes]:
    """Yield one gzip member (RFC 1952), always packed alike."""
    writer = zlib.compressobj(6, zlib.DEFLATED, 31)
    for chunk in tar_stream(wanted):
        if data := writer.compress(chunk):
            yield data
    yield writer.flush()


def _zstd(wanted: ExportSelection) -> Iterator[bytes]:
    """Yield one zstd frame (RFC 8878) with its checksum."""
    writer = zstandard.ZstdCompressor(level=3, write_checksum=True).compressobj()
    for chunk in tar_stream(wanted):
        if data := writer.compress(chunk):
            yield data
    yield writer.flush()


class _Sink:
    """The unseekable target of a zip file, which hands out what was written."""

    def __init__(self) -> None:
        self._held: list[bytes] = []

    def write(self, data: bytes) -> int:
        self._held.append(bytes(data))
        return len(data)

    def flush(self) -> None:
        pass

    def taken(self) -> bytes:
        data, self._held = b"".join(self._held), []
        return data


def _zip(wanted: ExportSelection) -> Iterator[bytes]:
    """Yield a zip archive (APPNOTE 6.3), with Zip64 if needed.

    Pipes and devices cannot be stored, names are UTF-8, and times before 1980 or after 2107 become
    the nearest valid ones: the last file lists omissions and changes.
    """
    sink = _Sink()
    target, omissions = cast(IO[bytes], sink), wanted.omissions
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, allowZip64=True) as archive:
        with wanted.reader() as reader:
            for entry in wanted.entries():
                if entry.type not in _TYPES:
                    omissions.add(entry.name, f"a {entry.type}, which zip cannot hold")
                    continue
                contents = _contents(entry, reader, omissions)
                if contents is None:
                    continue
                if not is_utf8(entry.name):
                    omissions.add(entry.name, "in here under this name, since its own is not UTF-8")
                with archive.open(_info(entry), "w", force_zip64=entry.size >= 1 << 31) as member:
                    for chunk in contents:
                        member.write(chunk)
                        if data := sink.taken():
                            yield data
                if data := sink.taken():
                    yield data
        if omissions.count:
            archive.writestr(FILE_NAME, omissions.text())
    yield sink.taken()


def _contents(entry: Entry, reader: BundleReader, omissions: Omissions) -> Iterator[bytes] | None:
    if entry.type == SYMLINK:
        return iter([entry.target or b""])
    return contents_or_none(entry, reader, omissions) if entry.size else iter(())


def _info(entry: Entry) -> zipfile.ZipInfo:
    seconds = min(max(entry.mtime_ns // 1_000_000_000, _EARLIEST), _LATEST)
    name = entry.name.decode("utf-8", "backslashreplace") + ("/" if entry.type == DIR else "")
    info = zipfile.ZipInfo(name, time.gmtime(seconds)[:6])
    info.create_system = 3
    info.external_attr = (_TYPES[entry.type] | entry.mode) << 16 | (
        0x10 if entry.type == DIR else 0
    )
    info.compress_type = zipfile.ZIP_DEFLATED if entry.type == FILE else zipfile.ZIP_STORED
    info.file_size = entry.size
    return info


ARCHIVE_FORMATS = {
    "tar.gz": ArchiveFormat(".tar.gz", "application/gzip", _gzip),
    "tar.zst": ArchiveFormat(".tar.zst", "application/zstd", _zstd),
    "zip": ArchiveFormat(".zip", "application/zip", _zip),
}


def archive_format(name: str) -> ArchiveFormat:
    """Return the archive format of that name; :class:`SettingError` names those that there are."""
    if name not in ARCHIVE_FORMATS:
        raise SettingError(
            f"“{name}” is not an archive format.",
            f"Choose {', '.join(ARCHIVE_FORMATS)}.",
            field="form",
        )
    return ARCHIVE_FORMATS[name]
