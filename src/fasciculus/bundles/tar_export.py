"""A bundle as one stream."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from ..core.bundle import tar_header
from ..core.bundle.entry import Entry
from ..core.bundle.layout import SubjectRef
from ..core.bundle.listing import linked_to, read_listing
from ..core.bundle.reader import BundleReader, only
from ..stores.base import Store


@dataclass(frozen=True, slots=True)
class ExportSelection:
    """What of a bundle goes into an archive, and where it is read: its listing here, its pieces on
    a store. ``spool`` is a folder for what is read but not wanted yet."""

    store: Store
    subject: SubjectRef
    listing: Path
    contents: list[str]
    paths: list[bytes]
    spool: Path

    def entries(self) -> Iterator[Entry]:
        with self.listing.open("rb") as raw:
            yield from only(read_listing(raw, self.contents), self.paths)

    def reader(self) -> BundleReader:
        return BundleReader(self.store, self.subject, self.spool)


def tar_stream(wanted: ExportSelection) -> Iterator[bytes]:
    """A bundle, or part of it, as one uncompressed tar; every byte checked on the way."""
    with wanted.listing.open("rb") as raw:
        # Of all entries only these need to be remembered.
        linked = linked_to(raw)
    firsts: set[tuple[str, bytes]] = set()
    with wanted.reader() as reader:
        for entry in wanted.entries():
            if (entry.kind, entry.path) in linked:
                firsts.add((entry.kind, entry.path))
            yield from _entry(entry, reader, firsts)
    yield tar_header.END


def _entry(entry: Entry, reader: BundleReader, firsts: set[tuple[str, bytes]]) -> Iterator[bytes]:
    if entry.link is not None and (entry.kind, entry.link) in firsts:
        yield tar_header.header(entry)
        return
    entry.link = None
    yield tar_header.header(entry)
    if entry.size:
        yield from reader.contents(entry)
        yield tar_header.padding(entry.size)
