"""Brings a bundle, or part of it, back: into an empty folder and named databases."""

from __future__ import annotations

import errno
import grp
import os
import pwd
import shutil
import stat
import threading
from collections.abc import Iterator, Sequence
from functools import lru_cache
from pathlib import Path

from blake3 import blake3

from ...bundles.files import fetch_listing, unsealed
from ...core.bundle.entry import (
    BLOCK,
    CHAR,
    DIR,
    FILE,
    SYMLINK,
    Entry,
    to_bytes,
)
from ...core.bundle.inode_flags import set_flags
from ...core.bundle.listing import read_listing
from ...core.bundle.manifest import DatabaseRecord, Manifest
from ...core.bundle.reader import BundleReader, only
from ...core.bundle.root_path import FILE_FLAGS
from ...core.errors import (
    DamagedError,
    FasciculusError,
    MissingError,
    SettingError,
    StoreFullError,
)
from ...core.formatting import format_count, format_list, format_size
from ...databases import ENGINES
from ...hosts.base import HostConnection
from ...stores.base import Store, connected
from ..database_access import database_access
from ..events import Emitter, Progress
from ..orders import RestoreOrder
from ..results import RestoreResult
from ..store_access import retrying_store, seen
from .mail import MailSettingsRestore
from .pending_entries import PendingEntries
from .privileges import privileges_of, without_privileges
from .target import RestoreTarget, write_sparsely

_REPORT_EVERY = 64
_CHUNK = 1024 * 1024
_NAMED = 5
_LOGGED = 1000
#: What ends a restore; any other trouble with an entry costs that entry.
_DISK_TROUBLE = (errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EIO)


class RestoreTask:
    """Carries out one :class:`RestoreOrder`."""

    def __init__(
        self, order: RestoreOrder, host: HostConnection, emitter: Emitter, stop: threading.Event
    ) -> None:
        self._order, self._host, self._emitter, self._stop = order, host, emitter, stop
        self._target: RestoreTarget | None = None
        self._folders: PendingEntries | None = None
        #: What cannot be changed any more once its flags are set.
        self._flagged: PendingEntries | None = None
        #: Whether set-user-id bits, devices and attributes of the system come back.
        self._privileged = False
        self._stand_ins: dict[tuple[str, bytes], bytes] = {}
        self._progress = Progress("preflight")
        self._owners = os.geteuid() == 0
        self._lost = self._could_not_write = 0
        self._named: list[str] = []

    def run(self) -> RestoreResult:
        spool = Path(self._order.spool)
        spool.mkdir(parents=True, exist_ok=True, mode=0o700)
        try:
            store = retrying_store(self._order.store, self._stop, self._emitter.info)
            with connected(store):
                try:
                    return self._restore(store, spool)
                finally:
                    self._emitter.emit(seen(store))
        finally:
            if self._target is not None:
                self._target.close()
            for pending in (self._folders, self._flagged):
                if pending is not None:
                    pending.close()
            shutil.rmtree(spool, ignore_errors=True)

    def _restore(self, store: Store, spool: Path) -> RestoreResult:
        self._host.connect()
        order, subject = self._order, self._order.subject.ref()
        recorded = order.store.recorded_copies(subject, self._emitter.warn)
        manifest = recorded.manifest(store, order.bundle)
        listing = fetch_listing(store, subject, manifest, spool / "listing")
        mapped = self._databases_wanted(manifest)
        paths = [to_bytes(path) for path in order.paths]

        def wanted(kinds: Sequence[str] = order.contents) -> Iterator[Entry]:
            with listing.open("rb") as raw:
                yield from only(read_listing(raw, kinds), paths)

        self._privileged = order.privileges or recorded.vouches_for(order.bundle)
        total = self._look_through(wanted())
        self._progress.total = total
        if order.target:
            self._prepare_target(total)
            self._folders, self._flagged = PendingEntries(spool), PendingEntries(spool)
        count = 0
        with BundleReader(unsealed(store), subject, spool) as reader:
            for entry in wanted() if order.target else ():
                record = _record_of(entry, mapped)
                if record is None:
                    self._progress.stage = entry.kind
                    count += self._written(entry, reader)
                    if count % _REPORT_EVERY == 0:
                        self._emitter.emit(self._progress)
            self._finish_folders()
            for record in mapped:
                count += self._loaded(
                    record, order.databases[record.name], wanted(["databases"]), reader
                )
            if order.mail is not None:
                self._progress.stage = "mail"
                with listing.open("rb") as raw:
                    mail = MailSettingsRestore(order.mail, self._host, self._emitter)
                    count += mail.run(read_listing(raw, ["mail"]), reader)
        if not count and not self._lost:
            raise SettingError(
                "Nothing in the bundle matches what was asked for.",
                "Look at its listing for the right paths.",
                field="paths",
            )
        self._emitter.info(
            f"restored {format_count(count, 'entry', 'entries')}, "
            f"{format_size(self._progress.bytes)}"
        )
        if self._lost:
            return RestoreResult(
                outcome="failed",
                error=self._what_is_lost(store.spec.name, count),
                entries=count,
                bytes=self._progress.bytes,
            )
        return RestoreResult(
            outcome="warned" if self._emitter.warnings else "done",
            entries=count,
            bytes=self._progress.bytes,
        )

    # What cannot be brought back -----------------------------------------------

    def _written(self, entry: Entry, reader: BundleReader) -> int:
        """Bring an entry back; what is damaged on the store must not keep all else from coming
        back.
        """
        try:
            self._write(entry, reader)
        except (DamagedError, MissingError) as error:
            self._give_up(entry.text, error.message)
            return 0
        except OSError as error:
            if error.errno in _DISK_TROUBLE:
                raise
            self._could_not_write += 1
            self._give_up(entry.text, f"{error.strerror}")
            return 0
        return 1

    def _loaded(
        self, record: DatabaseRecord, name: str, entries: Iterator[Entry], reader: BundleReader
    ) -> int:
        try:
            return self._load(record, name, entries, reader)
        except (DamagedError, MissingError) as error:
            self._give_up(f"database {record.name}", error.message)
            self._emitter.error(f"database {name} is there, but not complete")
            return 0

    def _give_up(self, what: str, why: str) -> None:
        self._lost += 1
        if self._lost <= _NAMED:
            self._named.append(what)
        if self._lost <= _LOGGED:
            self._emitter.error(why if why.startswith(what) else f"{what}: {why}")

    def _what_is_lost(self, store: str, count: int) -> str:
        named = ", ".join(self._named) + (" …" if self._lost > _NAMED else "")
        logged = "all of it" if self._lost <= _LOGGED else f"the first {_LOGGED:,}"
        if self._could_not_write:
            return (
                f"{format_count(self._lost, 'entry', 'entries')} did not come back: {named}. "
                f"{format_count(count, 'other', 'others')} did. The log names {logged}, each with "
                "the reason."
            )
        return (
            f"{format_count(self._lost, 'entry', 'entries')} did not come back, damaged on store "
            f"“{store}”: "
            f"{named}. {format_count(count, 'other', 'others')} did. Restore what is "
            f"lacking from another copy or another moment; the log names {logged}."
        )

    def _look_through(self, entries: Iterator[Entry]) -> int:
        """The bytes of all that comes back; names what of it has privileges."""
        total = count = 0
        for entry in entries:
            total += entry.size if entry.link is None else 0
            if self._order.target and (found := privileges_of(entry)):
                count += 1
                if count <= _LOGGED:
                    self._emitter.info(f"{entry.text}: {format_list(found)}")
        if count and self._privileged:
            self._emitter.info(
                f"{format_count(count, 'entry', 'entries')} with privileges, named above"
            )
        elif count:
            self._emitter.warn(
                f"{format_count(count, 'entry comes', 'entries come')} back without privileges, "
                "named above: the records do not vouch for this copy. Ask for them "
                "(--privileges) if you trust its store."
            )
        return total

    # Before anything is written ----------------------------------------------

    def _databases_wanted(self, manifest: Manifest) -> list[DatabaseRecord]:
        known = {d.name: d for d in manifest.databases if not d.origin}
        for name in self._order.databases:
            if name not in known:
                raise SettingError(
                    f"The bundle holds no database “{name}”.",
                    f"It holds: {', '.join(known) or 'none'}.",
                    field="databases",
                )
        return [known[name] for name in self._order.databases]

    def _prepare_target(self, total: int) -> None:
        target = Path(self._order.target)
        if not target.is_absolute() or target == Path("/"):
            raise SettingError(
                "The target is not an absolute folder of its own.",
                "Write it from the first slash on.",
                field="target",
            )
        try:
            self._target = RestoreTarget(os.fsencode(target))
            is_empty, free = self._target.is_empty, self._target.free
        except OSError as error:
            raise SettingError(
                f"The folder {target} cannot be used: {error.strerror}.",
                "Name another folder, or give the service the right to write there.",
                field="target",
            ) from error
        if not is_empty and not self._order.resume:
            raise SettingError(
                f"The folder {target} is not empty.",
                "Name an empty or a new folder, or take up an interrupted restore (--resume).",
                field="target",
            )
        if free < total and is_empty:
            raise StoreFullError(
                f"{target} has {format_size(free)} free, and {format_size(total)} "
                "are to be restored.",
                "Name a folder on a larger disk.",
            )

    # Files -------------------------------------------------------------------

    def _place(self, entry: Entry) -> bytes:
        """Where an entry goes below the target; an SQLite database goes back among the files."""
        of_files = entry.kind == "databases" and entry.origin is not None
        if of_files and entry.origin and self._made.holds(b"files"):
            path = b"files/" + entry.origin
        else:
            path = entry.name
        if not {b"", b".", b".."}.isdisjoint(path.split(b"/")):
            raise DamagedError(f"The listing holds the path {entry.text}, which leads outside.")
        return path

    @property
    def _made(self) -> RestoreTarget:
        assert self._target is not None
        return self._target

    def _write(self, entry: Entry, reader: BundleReader) -> None:
        path, target = self._place(entry), self._made
        self._progress.entries += 1
        if self._order.resume and entry.type != DIR:
            if self._is_there(entry, path):
                return
            target.drop(path)
        if not self._privileged:
            if entry.type in (CHAR, BLOCK):
                return
            entry = self._allowed(entry)
        if entry.flags and self._flagged is not None:
            self._flagged.add(entry)
        if entry.type == DIR:
            target.folder(path, 0o700)
            assert self._folders is not None
            self._folders.add(entry)
            return
        if entry.type == FILE:
            first = self._first_name(entry)
            if first is not None:
                target.link(first, path)
                return
            self._fill(entry, path, reader)
            if entry.link is not None:
                self._stand_ins[entry.kind, entry.link] = path
            return
        folder, name = target.place(path)
        match entry.type:
            case "symlink":
                os.symlink(entry.target or b"", name, dir_fd=folder)
            case "fifo":
                os.mkfifo(name, 0o600, dir_fd=folder)
            case _:
                if not self._owners:
                    self._emitter.warn(f"{entry.text}: a device file, which only root can make")
                    return
                kind = stat.S_IFCHR if entry.type == CHAR else stat.S_IFBLK
                os.mknod(name, 0o600 | kind, os.makedev(*entry.rdev), dir_fd=folder)
        self._dress_name(folder, name, entry)

    def _is_there(self, entry: Entry, path: bytes) -> bool:
        """Whether an interrupted restore brought a file back whole; it is dressed once more.

        Its bytes decide, not its size and time: somebody may have had the folder since.
        """
        if entry.type != FILE or entry.link is not None:
            return False
        try:
            folder, name = self._made.place(path)
            descriptor = os.open(name, FILE_FLAGS, dir_fd=folder)
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
            self._dress(descriptor, self._allowed(entry))
        return True

    def _allowed(self, entry: Entry) -> Entry:
        return entry if self._privileged else without_privileges(entry)

    def _first_name(self, entry: Entry) -> bytes | None:
        """The restored file that a hard link belongs to, if it is among what was asked for."""
        if entry.link is None:
            return None
        path = entry.kind.encode() + b"/" + entry.link
        return path if self._made.holds(path) else self._stand_ins.get((entry.kind, entry.link))

    def _fill(self, entry: Entry, path: bytes, reader: BundleReader) -> None:
        before = self._progress.bytes
        with os.fdopen(self._made.new_file(path), "wb", buffering=0) as sink:
            try:
                for chunk in reader.contents(entry):
                    write_sparsely(sink, chunk)
                    self._progress.bytes += len(chunk)
                # A hole at the end is only there once the file is that long.
                sink.truncate()
            except (FasciculusError, OSError):
                # What is not right, or not whole, must not stay there as if it were.
                self._progress.bytes = before
                self._made.drop(path)
                raise
            self._dress(sink.fileno(), entry)

    def _dress(self, descriptor: int, entry: Entry) -> None:
        """Owner, attributes, mode and time, in the order in which none undoes another."""
        if self._owners:
            os.fchown(descriptor, _uid(entry.user, entry.uid), _gid(entry.group, entry.gid))
        self._set_attributes(descriptor, entry)
        os.fchmod(descriptor, entry.mode)
        os.utime(descriptor, ns=(entry.mtime_ns, entry.mtime_ns))

    def _dress_name(self, folder: int, name: bytes, entry: Entry) -> None:
        """The same for what is not opened: a link, a pipe, a device."""
        if self._owners:
            owner = _uid(entry.user, entry.uid), _gid(entry.group, entry.gid)
            os.chown(name, *owner, dir_fd=folder, follow_symlinks=False)
        self._set_attributes(b"/proc/self/fd/%d/%s" % (folder, name), entry)
        if entry.type != SYMLINK:
            os.chmod(name, entry.mode, dir_fd=folder)
        times = (entry.mtime_ns, entry.mtime_ns)
        os.utime(name, ns=times, dir_fd=folder, follow_symlinks=False)

    def _set_attributes(self, place: int | bytes, entry: Entry) -> None:
        for key, value in entry.xattrs.items():
            try:
                if isinstance(place, int):
                    os.setxattr(place, key, value)
                else:
                    os.setxattr(place, key, value, follow_symlinks=False)
            except OSError as error:
                self._emitter.warn(f"{entry.text}: {key} could not be set ({error.strerror})")

    def _finish_folders(self) -> None:
        # Deepest first: what is made inside a folder changes its time.
        for entry in self._folders.last_first() if self._folders is not None else ():
            self._dress(self._made.folder(self._place(entry)), entry)
        for entry in self._flagged.last_first() if self._flagged is not None else ():
            self._flag(entry)
        if not self._owners:
            self._emitter.warn("owners were not set, since the service does not run as root")

    def _flag(self, entry: Entry) -> None:
        """Set the flags of what is there, last of all."""
        try:
            if entry.type == DIR:
                set_flags(self._made.folder(self._place(entry)), entry.flags)
                return
            folder, name = self._made.place(self._place(entry))
            descriptor = os.open(name, FILE_FLAGS, dir_fd=folder)
            try:
                set_flags(descriptor, entry.flags)
            finally:
                os.close(descriptor)
        except FileNotFoundError:
            return
        except OSError as error:
            self._emitter.warn(
                f"{entry.text}: its flags ({entry.flags}) could not be set ({error.strerror})"
            )

    # Databases ---------------------------------------------------------------

    def _load(
        self, record: DatabaseRecord, name: str, entries: Iterator[Entry], reader: BundleReader
    ) -> int:
        self._progress.stage = "databases"
        order = self._order
        access = database_access(record.engine, order.host, self._host, "", order.spool)
        members = (
            (entry, lambda entry=entry: b"".join(reader.contents(entry)))
            for entry in entries
            if _record_of(entry, [record]) is not None
        )
        count = 0
        engine = ENGINES.get(record.engine)
        for entry in engine.restore(access, record, name, members, self._emitter.warn):
            count += 1
            self._progress.entries += 1
            self._progress.bytes += entry.size
            self._emitter.emit(self._progress)
        self._emitter.info(f"database {record.name} is back as {name}")
        return count


def _record_of(entry: Entry, records: list[DatabaseRecord]) -> DatabaseRecord | None:
    """The database, among some, that an entry is a member of."""
    if entry.kind != "databases":
        return None
    return next((r for r in records if entry.path.startswith(r.folder.encode() + b"/")), None)


@lru_cache(maxsize=1024)
def _uid(name: str, number: int) -> int:
    # The name counts, as with tar: numbers differ from host to host.
    try:
        return pwd.getpwnam(name).pw_uid if name else number
    except KeyError:
        return number


@lru_cache(maxsize=1024)
def _gid(name: str, number: int) -> int:
    try:
        return grp.getgrnam(name).gr_gid if name else number
    except KeyError:
        return number
