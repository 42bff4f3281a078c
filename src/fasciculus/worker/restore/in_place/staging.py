"""Writes the entries of a plan into the side folder, as they will be in place."""

from __future__ import annotations

from pathlib import Path

from ....contracts.events import Progress
from ....core.bundle.entry import Entry
from ....core.bundle.listing import from_line
from ....core.bundle.reader import BundleReader
from ....core.errors import DamagedError, MissingError
from ....hosts.base import StagingTree
from ...emitter import Emitter
from ..writer import EntrySource, EntryWriter
from .relocating import FileRewriter

_REPORT_EVERY = 64


class StagingWriter(EntryWriter):
    """Writes entries below the side folder. A hard link is made to the file that is
    staged with it, or to the live file if that one stays.
    """

    tree: StagingTree

    def link_to_live(self, root: bytes, home: bytes) -> None:
        """Say where live files are."""
        self._live = root, home

    def _file(self, path: bytes, entry: Entry, reader: EntrySource) -> None:
        if entry.link is not None and not self.tree.holds(entry.link) and self._linked(path, entry):
            return
        super()._file(path, entry, reader)

    def _first_name(self, path: bytes, entry: Entry) -> bytes | None:
        if entry.link is None:
            return None
        if self.tree.holds(entry.link):
            return entry.link
        return self._stand_ins.get((entry.kind, entry.link))

    def _flag(self, entry: Entry) -> None:
        """Do nothing: a file with flags could not be moved; the switch sets them last."""

    def _linked(self, path: bytes, entry: Entry) -> bool:
        """Link to the live file of which it is another name; return whether that was possible."""
        assert entry.link is not None
        root, home = self._live
        return self.tree.link_live(root, home, entry.link, path, entry.size, entry.mtime_ns)


def stage(
    staged: Path,
    writer: StagingWriter,
    reader: BundleReader,
    rewriter: FileRewriter | None,
    emitter: Emitter,
    progress: Progress,
) -> int:
    """Write all entries of a file of listing lines; return how many came."""
    count = 0
    with staged.open("rb") as lines:
        for line in lines:
            entry = from_line(line)
            source: EntrySource = reader
            if rewriter is not None:
                try:
                    entry, source = rewriter.rewritten(entry, reader)
                except (DamagedError, MissingError):
                    # The writer meets the same damage, and reports it.
                    source = reader
            count += writer.put(entry.path, entry, source)
            if count % _REPORT_EVERY == 0:
                emitter.emit(progress)
    writer.finish()
    return count
