"""The side folder of a restore in place on this machine."""

from __future__ import annotations

import os
from collections.abc import Iterator

from ..core.bundle.entry import FILE, Entry
from ..core.bundle.inode_flags import read_flags
from ..core.bundle.root_path import open_file
from ..core.bundle.tree.tree_walk import WalkRules, Warn
from .base import HostConnection, HostEntry
from .local_tree import LocalTree
from .side_restore import SideRestore


class LocalSide(SideRestore):
    """A side folder here; the tree in use is read as for a bundle."""

    limits = ()

    def __init__(self, host: HostConnection, root: bytes, home: bytes, name: bytes) -> None:
        super().__init__(root, home, name)
        self._host = host

    def walk(self, path: bytes, chosen: WalkRules, warn: Warn) -> Iterator[HostEntry]:
        """Yield the entries at and below a folder in scan order."""
        whole = os.path.join(self._root, path) if path else self._root
        return self._host.tree(os.fsdecode(whole), chosen, warn, os.fsdecode(self._home))

    def describe(self, path: bytes, warn: Warn) -> Entry | None:
        """Return the entry of one path, None if it does not exist."""
        whole = os.path.join(self._root, path) if path else self._root
        found = self._host.describe(whole, "files", path, warn)
        if found is not None and found.type == FILE:
            found.flags = self._flags(whole)
        return found

    def _flags(self, path: bytes) -> str:
        """Return the inode flags of a file, empty if it cannot be opened."""
        try:
            descriptor = open_file(path, self._home)
        except OSError:
            return ""
        try:
            return read_flags(descriptor)
        finally:
            os.close(descriptor)

    def staging(self) -> LocalTree:
        """Open the folder for what will be put in place."""
        return LocalTree(os.fsencode(self.path) + b"/new")

    def close(self) -> None:
        """Close it; there is nothing to close."""
