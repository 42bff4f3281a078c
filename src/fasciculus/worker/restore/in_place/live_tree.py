"""The live side of a restore in place: what is there now."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing

from blake3 import blake3
from msgspec.structs import replace

from ....contracts.orders import SubjectOrder
from ....core.bundle.entry import DIR, Entry
from ....core.bundle.tree.tree_walk import WalkRules
from ....core.file_filters import FileSelector
from ....hosts.base import HostConnection, HostEntry, SideFolder

_CHUNK = 1024 * 1024


class LiveTree:
    """The present entries of a subject's folder, all or below some paths.

    ``chooser`` hides what the job excludes, so that it is never taken for something extra;
    ``excluded`` are the service's own folders and stores, as paths below the subject's root.
    """

    def __init__(
        self,
        host: HostConnection,
        side: SideFolder,
        subject: SubjectOrder,
        chooser: FileSelector | None,
        excluded: frozenset[bytes],
        warn: Callable[[str], None],
    ) -> None:
        self._host, self._side = host, side
        self._subject, self._chooser, self._warn = subject, chooser, warn
        self._excluded = excluded
        self._here: HostEntry | None = None

    def entries(self, paths: Sequence[bytes]) -> Iterator[Entry]:
        """Yield the entries in scan order, by default all of them."""
        if self.is_missing:
            if not paths:
                yield self._new_root()
            return
        if not paths:
            yield from self._below(b"")
            return
        for path in paths:
            found = self.describe(path)
            if found is None:
                continue
            if found.type == DIR:
                yield from self._below(path)
            else:
                self._here = None
                yield found

    def _below(self, path: bytes) -> Iterator[Entry]:
        prefix = path + b"/" if path else b""
        excluded = frozenset(own[len(prefix) :] for own in self._excluded if own.startswith(prefix))
        rules = WalkRules(excluded, self._chooser)
        for found in self._side.walk(path, rules, self._warn):
            self._here = found
            entry = found.entry
            if path:
                below = path + b"/" + entry.path if entry.path else path
                link = path + b"/" + entry.link if entry.link is not None else None
                entry = replace(entry, path=below, link=link)
            yield entry

    @property
    def is_missing(self) -> bool:
        """Return whether the subject's folder itself is missing."""
        return not self._host.type_of(self._subject.root)

    @staticmethod
    def _new_root() -> Entry:
        """Return the entry of a new folder for the subject."""
        return Entry("files", b"", DIR, mode=0o755, uid=os.geteuid(), gid=os.getegid())

    def describe(self, path: bytes) -> Entry | None:
        """Return the present entry of one path, None if it does not exist."""
        if not path and self.is_missing:
            return self._new_root()
        return self._side.describe(path, self._warn)

    def digest(self, entry: Entry) -> str:
        """Return the BLAKE3 digest of the file where the walk is; empty if it cannot be read."""
        try:
            opened = (
                self._here.open()
                if self._here is not None
                else self._host.open(os.path.join(os.fsencode(self._subject.root), entry.path))
            )
            found = blake3()
            with closing(opened) as file:
                while chunk := file.read(_CHUNK):
                    found.update(chunk)
        except OSError:
            return ""
        return found.hexdigest()
