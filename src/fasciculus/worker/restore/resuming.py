"""Takes up a restore into a folder where an interrupted one left files."""

from __future__ import annotations

import os
import stat

from blake3 import blake3

from ...core.bundle.entry import Entry
from ...hosts.local_tree import LocalTree
from .writer import EntrySource, EntryWriter

_CHUNK = 1024 * 1024


class ResumingWriter(EntryWriter):
    """Keeps files that are intact, and writes all others again."""

    tree: LocalTree

    def _file(self, path: bytes, entry: Entry, reader: EntrySource) -> None:
        if self._is_there(path, entry):
            return
        self.tree.drop(path)
        super()._file(path, entry, reader)

    def _node(self, path: bytes, entry: Entry) -> None:
        self.tree.drop(path)
        super()._node(path, entry)

    def _is_there(self, path: bytes, entry: Entry) -> bool:
        """Return whether a file exists intact; its owner and mode are set again.

        Its bytes decide, not its size and time: the folder may have been changed since.
        """
        if entry.link is not None:
            return False
        try:
            descriptor = self.tree.open_file(path)
        except OSError:
            return False
        with os.fdopen(descriptor, "rb", buffering=0) as file:
            info = os.fstat(descriptor)
            if not stat.S_ISREG(info.st_mode) or info.st_size != entry.size or info.st_nlink > 1:
                return False
            digest = blake3()
            while chunk := file.read(_CHUNK):
                digest.update(chunk)
            if entry.size and digest.hexdigest() != entry.digest:
                return False
            self._progress.bytes += entry.size
            self.tree.dress_file(descriptor, path, entry)
        return True
