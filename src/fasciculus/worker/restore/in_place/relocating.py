"""A restore to another place than where its files were: paths, links, and texts in files."""

from __future__ import annotations

import os
import sqlite3
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path

from blake3 import blake3
from msgspec.structs import replace

from ....contracts.orders import Relocation
from ....core.bundle.entry import FILE, Entry
from ....core.bundle.reader import BundleReader
from ....core.file_filters import path_matcher
from ....core.formatting import format_count
from ....core.rewriting.texts import Texts
from ....core.rewriting.values import ValueWriter
from ....databases.rewriting import RewrittenColumn
from ....databases.sqlite import rewriting as sqlite
from ...emitter import Emitter
from ..writer import EntrySource

#: Larger files are no configuration.
_MOST = 8 * 1024 * 1024
_CHUNK = 1024 * 1024


class RelocatedPaths:
    """Maps paths of the bundle to paths below the subject's folder."""

    def __init__(self, order: Relocation | None) -> None:
        self._stays = order is None
        self._from = os.fsencode(order.from_folder) if order else b""
        self._to = os.fsencode(order.to_folder) if order else b""
        self._texts = Texts(order.texts if order else {})

    def place(self, path: bytes) -> bytes | None:
        """Return where a path goes, None for one that is outside of what moves."""
        if self._from and path != self._from and not path.startswith(self._from + b"/"):
            return None
        rest = path[len(self._from) :].lstrip(b"/")
        return b"/".join(part for part in (self._to, rest) if part)

    def entry(self, entry: Entry) -> Entry | None:
        """Return an entry at its new place, with the target of a link that pointed to the old one;
        None if it is outside.
        """
        if self._stays:
            return entry
        path = self.place(entry.path)
        if path is None:
            return None
        link = self.place(entry.link) if entry.link is not None else None
        if path == entry.path and link == entry.link and not entry.target:
            return entry
        target = entry.target
        if target:
            target = self._texts.replaced(target)[0]
        return replace(entry, path=path, link=link, target=target)


class FileRewriter:
    """Exchanges texts in the configuration files that are named, and in SQLite databases, during
    staging. ``names`` are names of users by their former ones.
    """

    def __init__(
        self, order: Relocation, names: Mapping[str, str], spool: Path, emitter: Emitter
    ) -> None:
        self._matchers = [path_matcher(pattern) for pattern in order.files]
        self._in_files = Texts({**order.texts, **order.names, **names})
        self._texts, self._olds = Texts(order.texts), list(order.texts)
        self._start = order.to_folder + "/" if order.to_folder else ""
        self._spool, self._emitter = spool, emitter

    def rewritten(self, entry: Entry, reader: BundleReader) -> tuple[Entry, EntrySource]:
        """Return an entry, and where its contents are: as they were, or rewritten."""
        if entry.type != FILE:
            return entry, reader
        if entry.kind == "databases" and self._texts:
            return self._database(entry, reader)
        if entry.kind == "files" and self._is_named(entry):
            return self._file(entry, reader)
        return entry, reader

    def _is_named(self, entry: Entry) -> bool:
        below = entry.text.removeprefix(self._start)
        return any(matches(below, False) for matches in self._matchers)

    def _file(self, entry: Entry, reader: BundleReader) -> tuple[Entry, EntrySource]:
        if entry.size > _MOST:
            self._emitter.warn(f"{entry.text} is too large to be rewritten, and unchanged")
            return entry, reader
        data = b"".join(reader.contents(entry))
        writer = ValueWriter(self._in_files)
        new = writer.value(data)
        if writer.skipped:
            self._emitter.warn(f"{entry.text} has serialised values that could not be corrected")
        if new == data:
            return entry, reader
        self._emitter.info(f"{entry.text}: {format_count(writer.count, 'text')} exchanged")
        return replace(entry, size=len(new), digest=blake3(new).hexdigest()), _Bytes(new)

    def _database(self, entry: Entry, reader: BundleReader) -> tuple[Entry, EntrySource]:
        copy = self._spool / "rewritten.sqlite"
        with copy.open("wb") as sink:
            for chunk in reader.contents(entry):
                sink.write(chunk)
        try:
            found = sqlite.rewrite(copy, entry.text, self._texts, self._olds)
        except sqlite3.Error as error:
            self._emitter.warn(f"{entry.text} could not be rewritten: {error}")
            return entry, reader
        report_rewritten(found, self._emitter)
        digest, source = blake3(), _LocalFile(copy)
        for chunk in source.contents(entry):
            digest.update(chunk)
        return replace(entry, size=copy.stat().st_size, digest=digest.hexdigest()), source


def report_rewritten(found: Iterable[RewrittenColumn], emitter: Emitter) -> None:
    """Log in which columns texts were exchanged, and which rows could not be corrected."""
    for row in found:
        where = f"{row.database}, {row.table}.{row.column}"
        emitter.info(f"{where}: rewritten in {format_count(row.rows, 'row')}")
        if row.skipped:
            emitter.warn(
                f"{where}: {format_count(row.skipped, 'row')} left as before, since serialised "
                "values there could not be corrected"
            )


@dataclass(frozen=True, slots=True)
class _Bytes:
    data: bytes

    def contents(self, entry: Entry) -> Iterator[bytes]:
        yield self.data


@dataclass(frozen=True, slots=True)
class _LocalFile:
    path: Path

    def contents(self, entry: Entry) -> Iterator[bytes]:
        with self.path.open("rb") as file:
            while chunk := file.read(_CHUNK):
                yield chunk
