"""A bundle as one stream."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from ..core.bundle import tar_header
from ..core.bundle.entry import FILE, Entry
from ..core.bundle.listing import linked_to, read_listing
from ..core.bundle.reader import BundleReader, is_at_or_below, only
from ..core.errors import DamagedError, MissingError
from ..core.subject import Subject
from ..stores.base import Store
from .files import unsealed
from .omissions import FILE_NAME, Omissions

#: Up to here contents are looked through before anything of the entry is sent.
_WHOLE = 8 * 1024 * 1024
_ZEROS = bytes(256 * 1024)


@dataclass(frozen=True, slots=True)
class ExportSelection:
    """The selection for an archive, and its sources: the listing here, the pieces on a store.
    ``spool`` is a folder for what is read but not wanted yet; ``omissions`` takes what the archive
    lacks.
    """

    store: Store
    subject: Subject
    listing: Path
    contents: list[str]
    paths: list[bytes]
    spool: Path
    omissions: Omissions = field(default_factory=Omissions)

    def entries(self) -> Iterator[Entry]:
        """Yield the selected entries."""
        with self.listing.open("rb") as raw:
            yield from only(read_listing(raw, self.contents), self.paths)

    def reader(self) -> BundleReader:
        """Return a reader of the bundle."""
        return BundleReader(unsealed(self.store), self.subject, self.spool)

    def unmatched(self) -> list[bytes]:
        """Return the paths at and below which there is nothing."""
        missing = list(self.paths)
        for entry in self.entries() if missing else ():
            missing = [
                path for path in missing if not is_at_or_below(entry.path, path.rstrip(b"/"))
            ]
            if not missing:
                break
        return missing


def contents_or_none(
    entry: Entry, reader: BundleReader, omissions: Omissions
) -> Iterator[bytes] | None:
    """Return an entry's bytes, exactly as many as it has; None, and noted, when they are damaged.

    Large entries are streamed: if one is damaged, zeros replace the rest, so that the following
    entries are intact.
    """
    if entry.size > _WHOLE:
        return _filled(entry, reader, omissions)
    try:
        return iter([b"".join(reader.contents(entry))])
    except (DamagedError, MissingError) as error:
        omissions.damage(entry.name, error.message)
        return None


def _filled(entry: Entry, reader: BundleReader, omissions: Omissions) -> Iterator[bytes]:
    left = entry.size
    try:
        for chunk in reader.contents(entry):
            yield chunk[:left]
            left -= len(chunk[:left])
    except (DamagedError, MissingError) as error:
        omissions.damage(entry.name, f"in here, but damaged: {error.message}")
        omissions.fill(entry.name, left)
    while left > 0:
        zeros = _ZEROS[:left]
        yield zeros
        left -= len(zeros)


def tar_stream(wanted: ExportSelection) -> Iterator[bytes]:
    """Yield a bundle, or part of it, as one uncompressed tar; every byte checked on the way.

    An entry that is damaged costs itself; the last file in the archive names what it lacks.
    """
    with wanted.listing.open("rb") as raw:
        # Of all entries only these need to be remembered.
        linked = linked_to(raw)
    firsts: set[tuple[str, bytes]] = set()
    omissions = wanted.omissions
    with wanted.reader() as reader:
        for entry in wanted.entries():
            if entry.link is not None and (entry.kind, entry.link) in firsts:
                yield tar_header.header(entry)
                continue
            entry.link = None
            contents = contents_or_none(entry, reader, omissions) if entry.size else iter(())
            if contents is None:
                continue
            if (entry.kind, entry.path) in linked:
                firsts.add((entry.kind, entry.path))
            yield tar_header.header(entry)
            yield from contents
            yield tar_header.padding(entry.size)
    if omissions.count:
        text = omissions.text()
        report = Entry("notes", b"", FILE, size=len(text))
        yield tar_header.header(report, name=FILE_NAME.encode())
        yield text + tar_header.padding(len(text))
    yield tar_header.END
