"""The entries of a subject, kind by kind, from a host into the packer."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator
from contextlib import closing, contextmanager
from functools import partial
from typing import Any

import orjson
from blake3 import blake3
from msgspec import Struct, field

from ....contracts.orders import BackupOrder
from ....core.bundle.entry import FILE, Entry
from ....core.bundle.listing import ListingWriter
from ....core.bundle.manifest import DatabaseRecord, ExcludedCount
from ....core.bundle.stat_block import StatBlock
from ....core.bundle.states.previous_index import PreviousEntry, PreviousIndex
from ....core.bundle.states.stat_cache import StatCache
from ....core.bundle.tree.tree_walk import WalkRules, group_name, user_name
from ....core.bundle.writer import BundleWriter
from ....core.file_filters import FileSelector
from ....hosts.base import HostConnection, OpenFile
from ..excluded_paths import excluded_paths

WHOLE = 1024 * 1024
_TRIES = 3


class SourceResult(Struct):
    """The manifest's fields beyond the packer's counts."""

    databases: list[DatabaseRecord] = field(default_factory=list)
    unreadable: dict[str, list[str]] = field(default_factory=dict)
    #: What the job's rules left out, by rule.
    excluded: dict[str, ExcludedCount] = field(default_factory=dict)


class FileSource:
    """Reads one subject's contents from a host. ``seen`` is called with entries and bytes read."""

    def __init__(
        self,
        order: BackupOrder,
        host: HostConnection,
        writer: BundleWriter,
        warn: Callable[[str], None],
        seen: Callable[[int, int], None],
        previous: PreviousIndex | None = None,
        states: StatCache | None = None,
        listing: ListingWriter | None = None,
    ) -> None:
        self._order, self._host, self._writer, self._previous = order, host, writer, previous
        self._compare = order.compare
        self._states, self._listing = states, listing
        #: Bytes of the lines before that the listing begins with, for as long as nothing differs
        #: from them.
        self._same: int | None = 0
        self._damaged = frozenset(order.damaged)
        self._warn, self._seen = warn, seen
        self._root = os.fsencode(order.subject.root)
        self._firsts: dict[bytes, Entry] = {}
        self.result = SourceResult()

    # Files -------------------------------------------------------------------

    def files(self) -> None:
        """Pack the files."""
        rules = self._order.rules
        chooser = None if rules.everything else FileSelector(rules, time.time_ns())
        reads_all = self._previous is None or self._compare
        is_known = None if reads_all else self._is_known
        chosen = WalkRules(
            excluded_paths(self._order, self._root, self._host.is_local),
            chooser,
            self._note_excluded,
            is_known,
            opens_files=self._previous is None,
            states=self._states,
            on_run=self._on_run,
            on_same=self._on_same,
            unchanged=None if reads_all else self._unchanged,
            on_unchanged=self._on_unchanged,
        )
        subject = self._order.subject
        for found in self._host.tree(subject.root, chosen, self._unreadable, subject.home):
            self.file(found.entry, found.open)

    def _is_known(self, path: bytes, info: os.stat_result) -> bool:
        """List an unchanged file again."""
        assert self._previous is not None
        known = self._previous.same_state("files", path, info)
        if known is None:
            return False
        self._list_again(known.line, known.row, info.st_size)
        return True

    def _list_again(self, line: bytes, row: dict[str, Any], size: int) -> None:
        """Take over the line of an unchanged entry."""
        self._same = None
        self._writer.add_line("files", line, size, row.get("at", []))
        self._seen(1, size)

    @contextmanager
    def _unchanged(self) -> Iterator[Callable[[Entry], bool]]:
        """Provide whether entries are as they were; they must come in scan order."""
        assert self._previous is not None
        with self._previous.another_pass() as before:
            yield lambda entry: before.same_entry(entry) is not None

    def _on_unchanged(self, entry: Entry) -> bool:
        """List an unchanged entry again, which was looked at alone."""
        assert self._previous is not None
        known = self._previous.same_entry(entry)
        if known is None:
            return False
        self._list_again(known.line, known.row, entry.size)
        return True

    def _on_run(self, run: StatBlock) -> bool:
        """List a run of unchanged entries again."""
        used = run.used
        if self._damaged and any(piece in self._damaged for piece, _ in used):
            return False
        listing = self._listing
        assert listing is not None
        if self._same == run.start:
            self._same += run.length
            lines, then = b"", partial(listing.same, run.length, run.size)
        else:
            self._same = None
            lines, then = run.blob, partial(listing.note, run)
        self._writer.add_lines("files", lines, run.entries, run.bytes, used, then)
        self._seen(run.entries, run.bytes)
        return True

    def _on_same(self, run: StatBlock, line: bytes) -> bool:
        """List one unchanged entry again."""
        row = orjson.loads(line)
        if self._damaged and any(part[0] in self._damaged for part in row.get("at", [])):
            return False
        self._list_again(line, row, row.get("size", 0) if row["type"] == FILE else 0)
        return True

    def _note_excluded(self, path: bytes, size: int, rule: str) -> None:
        count = self.result.excluded.setdefault(rule, ExcludedCount())
        count.entries += 1
        count.bytes += size

    def _unreadable(self, text: str) -> None:
        self.result.unreadable.setdefault("files", []).append(text)
        self._warn(text)

    def file(self, entry: Entry, open_: Callable[[], OpenFile]) -> None:
        """Pack one entry of the host, or list it again when the previous bundle holds it."""
        self._same = None
        known = self._previous.same(entry) if self._previous is not None else None
        first_path = entry.link
        first = self._firsts.get(first_path) if first_path is not None else None
        if first is not None and self._writer.links_to(first.path):
            entry.link = first.path
            self._writer.add_link(entry, first, held=known is not None)
            self._seen(1, 0)
            return
        entry.link = None
        # Only contents are compared: without contents, the state says everything.
        if known is not None and (not self._compare or entry.type != FILE or not entry.size):
            self._again(entry, known)
        elif entry.type != FILE:
            self._writer.add(entry)
            self._seen(1, 0)
            return
        else:
            try:
                self._contents(entry, open_)
            except FileNotFoundError:
                self._unreadable(f"{entry.text}: vanished before it was read")
                return
            except OSError as error:
                self._unreadable(f"{entry.text}: could not be read ({error.strerror})")
                return
        if entry.links > 1:
            self._firsts.setdefault(first_path or entry.path, entry)
        self._seen(1, entry.size)

    def _again(self, entry: Entry, known: PreviousEntry) -> None:
        line = known.line if known.describes(entry) else b""
        entry.digest = known.digest
        if entry.type == FILE:
            # It was not opened; what its flags are, its state says as well.
            entry.flags = str(known.row.get("flags", ""))
        self._writer.add_known(entry, known.parts, line)

    def _contents(self, entry: Entry, open_: Callable[[], OpenFile]) -> None:
        with closing(open_()) as source:
            if entry.size > WHOLE:
                self._large(entry, source)
                return
            for _ in range(_TRIES):
                data = _beginning(source)
                after = source.now()
                settled = after.mtime_ns == entry.mtime_ns and after.size == len(data)
                entry.mtime_ns, entry.ctime_ns = after.mtime_ns, after.ctime_ns
                if settled or len(data) > WHOLE or not source.again():
                    break
            else:
                self._warn(f"{entry.text}: changed while it was read")
            if len(data) > WHOLE:
                self._grown(entry, data, source)
                return
            self._distrust(entry)
            self._writer.add(entry, data)

    def _grown(self, entry: Entry, data: bytes, source: OpenFile) -> None:
        """Pack a file that was small when it was listed, and may be of any size now."""
        if source.again():
            self._large(entry, source)
            return
        entry.size = source.now().size
        self._warn(f"{entry.text}: changed while it was read")
        self._writer.add_stream(entry, _Continued(data, source), self._warn)
        self._distrust(entry)

    def _distrust(self, entry: Entry) -> None:
        """Treat a file changed just now as unsettled, since it may change again within the clock's
        resolution: next time it is read.
        """
        if entry.ctime_ns > self._host.settled_ns():
            entry.ctime_ns = 0

    def _large(self, entry: Entry, source: OpenFile) -> None:
        # Whether it can be read shows here, before anything of it is packed.
        before = source.now()
        entry.size = before.size
        if not self.held(entry, source):
            self._writer.add_stream(entry, source, self._warn)
        after = source.now()
        if (after.mtime_ns, after.size) != (entry.mtime_ns, entry.size):
            self._warn(f"{entry.text}: changed while it was read")
        self._distrust(entry)

    def held(self, entry: Entry, source: OpenFile) -> bool:
        """Return whether the previous bundle has a large file's contents; reads the file again."""
        if (
            self._previous is None
            or not self._previous.may_hold(entry.kind, entry.size)
            or not source.again()
        ):
            return False
        digest = blake3()
        while chunk := source.read(WHOLE):
            digest.update(chunk)
        parts = self._previous.holding(entry.kind, digest.hexdigest(), entry.size)
        if parts is None:
            source.again()
            return False
        entry.digest = digest.hexdigest()
        self._writer.add_known(entry, parts)
        return True


def _beginning(source: OpenFile) -> bytes:
    """Return a file's contents; of more than ``WHOLE`` bytes, one byte more than that."""
    data = source.read(WHOLE + 1)
    chunks, left = [data], WHOLE + 1 - len(data)
    while data and left:
        data = source.read(left)
        chunks.append(data)
        left -= len(data)
    return b"".join(chunks)


class _Continued:
    """A stream whose first bytes were read already."""

    def __init__(self, first: bytes, rest: OpenFile) -> None:
        self._first, self._rest = first, rest

    def read(self, count: int, /) -> bytes:
        """Return the next bytes."""
        if not self._first:
            return self._rest.read(count)
        data, self._first = self._first[:count], self._first[count:]
        return data


def made_up(kind: str, path: bytes, moment: int) -> Entry:
    """Return an entry for a file that the worker itself writes, such as a note."""
    uid, gid = os.geteuid(), os.getegid()
    return Entry(
        kind,
        path,
        mode=0o600,
        uid=uid,
        gid=gid,
        user=user_name(uid),
        group=group_name(gid),
        mtime_ns=moment,
    )
