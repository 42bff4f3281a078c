"""The one way in which entries of a bundle are written anywhere.

The rules are the same for a new folder and for a mailbox in use, here and on hosts: paths may not
climb, nothing is written through a link, privileges come back only where they are vouched for, and
owners are those that exist there under the recorded name.
"""

from __future__ import annotations

import errno
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Protocol

from msgspec.structs import replace

from ...contracts.events import Progress
from ...core.bundle.entry import BLOCK, CHAR, DIR, FILE, Entry
from ...core.errors import DamagedError, MissingError
from ...core.formatting import format_count
from ...hosts.base import WritableTree
from ..emitter import Emitter
from .layout import Layout
from .losses import Losses
from .pending_entries import PendingEntries
from .special_modes import without_special_modes

#: What ends a restore; any other trouble with an entry costs that entry.
_DISK_TROUBLE = (errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EIO)
#: What a listing did that leads out of the folder.
_LEADS_OUT = (errno.ELOOP, errno.ENOTDIR)


class EntrySource(Protocol):
    """A source of the contents of entries."""

    def contents(self, entry: Entry) -> Iterator[bytes]:
        """Yield an entry's bytes in chunks. Raises ``DamagedError`` if they are not whole."""


def allowed_entry(entry: Entry, owners: Mapping[str, str], with_special_modes: bool) -> Entry:
    """Return an entry as it may be written: with other owners, and without special modes."""
    if owners:
        entry = replace(
            entry,
            user=owners.get(entry.user or str(entry.uid), entry.user),
            group=owners.get(entry.group or str(entry.gid), entry.group),
        )
    return entry if with_special_modes else without_special_modes(entry)


class EntryWriter:
    """Puts entries below one folder, where nothing is yet.

    ``with_special_modes`` says whether set-user-id bits, devices and the like are restored;
    ``owners`` maps recorded users and groups to others.
    """

    def __init__(
        self,
        tree: WritableTree,
        spool: Path,
        emitter: Emitter,
        losses: Losses,
        progress: Progress,
        with_special_modes: bool,
        owners: Mapping[str, str],
    ) -> None:
        self.tree = tree
        #: Where other entries are; the caller of ``put`` decides on the path of each.
        self.layout = Layout()
        self._emitter, self._losses, self._progress = emitter, losses, progress
        self._with_special_modes, self._owners = with_special_modes, owners
        self._folders = PendingEntries(spool)
        #: What cannot be changed any more once its flags are set.
        self._flagged = PendingEntries(spool)
        self._stand_ins: dict[tuple[str, bytes], bytes] = {}

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._folders.close()
        self._flagged.close()
        self.tree.close()

    # One entry -----------------------------------------------------------------

    def put(self, path: bytes, entry: Entry, reader: EntrySource) -> int:
        """Write an entry under a path; return how many came back. Damage on the store must not keep
        everything else from being restored.
        """
        self._progress.entries += 1
        before = self._progress.bytes
        try:
            try:
                self._write(path, self.allowed(entry), reader)
            except OSError as error:
                if error.errno not in _LEADS_OUT:
                    raise
                raise DamagedError(f"{entry.text}: {error.strerror}") from error
        except (DamagedError, MissingError) as error:
            self._progress.bytes = before
            self._losses.damaged(entry.text, error.message)
            return 0
        except OSError as error:
            if error.errno in _DISK_TROUBLE:
                raise
            self._progress.bytes = before
            self._losses.not_written(entry.text, f"{error.strerror}")
            return 0
        except (ValueError, OverflowError) as error:
            self._losses.not_written(entry.text, str(error))
            return 0
        return 1

    def allowed(self, entry: Entry) -> Entry:
        """Return the entry as it may be written here."""
        return allowed_entry(entry, self._owners, self._with_special_modes)

    def parent(self, path: bytes, entry: Entry) -> None:
        """Note the entry of a folder that is only on the way to what comes back."""
        self._add_folder(path, self.allowed(entry))

    def _write(self, path: bytes, entry: Entry, reader: EntrySource) -> None:
        check_path(path, entry)
        if entry.type in (CHAR, BLOCK) and not self._may_make(entry):
            return
        if entry.type == DIR:
            self._make_folder(path, entry)
        elif entry.type == FILE:
            self._file(path, entry, reader)
        else:
            self._node(path, entry)
        if entry.flags:
            self._flagged.add(_at(path, entry))

    def _may_make(self, entry: Entry) -> bool:
        if self._with_special_modes and not self.tree.sets_owners:
            self._emitter.warn(f"{entry.text}: a device file, which only root can make")
        return self._with_special_modes and self.tree.sets_owners

    def _make_folder(self, path: bytes, entry: Entry) -> None:
        self.tree.make_folder(path)
        self._add_folder(path, entry)

    def _add_folder(self, path: bytes, entry: Entry) -> None:
        self._folders.add(_at(path, entry))

    def _file(self, path: bytes, entry: Entry, reader: EntrySource) -> None:
        first = self._first_name(path, entry)
        if first is not None:
            self._link(first, path)
            return
        self._create(path, self._counted(reader.contents(entry)), entry)
        if entry.link is not None:
            self._stand_ins[entry.kind, entry.link] = path

    def _first_name(self, path: bytes, entry: Entry) -> bytes | None:
        """Return the restored file that a hard link belongs to, if it is among what was
        asked for.
        """
        if entry.link is None:
            return None
        whole = self.layout.place(entry.kind, entry.link)
        return whole if self.tree.holds(whole) else self._stand_ins.get((entry.kind, entry.link))

    def _counted(self, chunks: Iterator[bytes]) -> Iterator[bytes]:
        for chunk in chunks:
            yield chunk
            self._progress.bytes += len(chunk)

    def _create(self, path: bytes, chunks: Iterator[bytes], entry: Entry) -> None:
        self.tree.create_file(path, chunks, entry)

    def _link(self, first: bytes, path: bytes) -> None:
        self.tree.link(first, path)

    def _node(self, path: bytes, entry: Entry) -> None:
        self.tree.create_node(path, entry)

    # The end -------------------------------------------------------------------

    def finish(self) -> None:
        """Give folders their owner, mode and time, and set flags, now that all is written."""
        # Deepest first: what is made inside a folder changes its time.
        for entry in self._folders.last_first():
            if not entry.path or self.tree.holds(entry.path):
                self._finish_folder(entry)
        for entry in self._flagged.last_first():
            self._flag(entry)
        self._tell()

    def _finish_folder(self, entry: Entry) -> None:
        try:
            self.tree.finish_folder(entry.path, entry)
        except OSError as error:
            if error.errno in _DISK_TROUBLE:
                raise
            self._losses.not_written(entry.text, f"its owner and mode: {error.strerror}")

    def _flag(self, entry: Entry) -> None:
        try:
            self.tree.set_flags(entry.path, entry.flags)
        except FileNotFoundError:
            return
        except OSError as error:
            self._emitter.warn(
                f"{entry.text}: its flags ({entry.flags}) could not be set ({error.strerror})"
            )

    def _tell(self) -> None:
        for path, key, why in self.tree.unset:
            self._emitter.warn(
                f"{path.decode('utf-8', 'backslashreplace')}: {key} could not be set ({why})"
            )
        if not self.tree.sets_owners:
            self._emitter.warn("owners were not set, which only root can do")
        for name, count in self.tree.unknown_owners.items():
            entries = format_count(count, "entry belongs", "entries belong")
            self._emitter.warn(
                f"“{name}” does not exist there: {entries} to root. Choose another owner "
                f"(--map-owner {name}=NAME), or change it there."
            )


class ReplacingWriter(EntryWriter):
    """Puts entries below a folder in use: files take the place of those that are there, and
    folders that are there keep their owner and mode."""

    def _make_folder(self, path: bytes, entry: Entry) -> None:
        if self.tree.make_folder(path):
            self._add_folder(path, entry)

    def _first_name(self, path: bytes, entry: Entry) -> bytes | None:
        # Only what this restore wrote: the file that is there may be another one.
        return self._stand_ins.get((entry.kind, entry.link)) if entry.link is not None else None

    def _create(self, path: bytes, chunks: Iterator[bytes], entry: Entry) -> None:
        self.tree.replace_file(path, chunks, entry)

    def _link(self, first: bytes, path: bytes) -> None:
        self.tree.relink(first, path)

    def _node(self, path: bytes, entry: Entry) -> None:
        self.tree.replace_node(path, entry)


def check_path(path: bytes, entry: Entry) -> None:
    """Refuse a path with a part that is no name. Raises :class:`DamagedError`."""
    if path and not {b"", b".", b".."}.isdisjoint(path.split(b"/")):
        raise DamagedError(f"The listing holds the path {entry.text}, which leads outside.")


def _at(path: bytes, entry: Entry) -> Entry:
    return replace(entry, path=path)
