"""Preview of a bundle: sizes, the largest folders, savings by rule, new data."""

from __future__ import annotations

import heapq
from collections.abc import Iterator
from dataclasses import dataclass, field

from .file_filters import ON_THE_WAY, FileSelector

_FOLDERS = 12


@dataclass(slots=True)
class SizeCount:
    """Entries and bytes."""

    entries: int = 0
    bytes: int = 0

    def add(self, size: int) -> None:
        """Count an entry of that size."""
        self.entries += 1
        self.bytes += size


@dataclass(slots=True)
class PreviewCounts:
    """The answer. ``saved`` is by rule; ``folders`` are the largest, with all below them."""

    #: The root itself counts, as in a bundle.
    inside: SizeCount = field(default_factory=lambda: SizeCount(1))
    new: SizeCount = field(default_factory=SizeCount)
    saved: dict[str, SizeCount] = field(default_factory=dict)
    folders: list[tuple[bytes, SizeCount]] = field(default_factory=list)


class PreviewCounter:
    """Takes the names of a tree in scan order, everything that is left out included.

    ``before`` has (path, size, mtime in ns) of the files of the last bundle in scan order.
    """

    def __init__(
        self,
        chooser: FileSelector | None,
        excluded: frozenset[bytes],
        before: Iterator[tuple[bytes, int, int]] | None,
    ) -> None:
        self._chooser, self._excluded, self._before = chooser, excluded, before
        self._known = next(before, None) if before is not None else None
        self._skipped, self._rule = b"", ""
        self._device: int | None = None
        self._prefix = b""
        self._open: list[tuple[bytes, SizeCount]] = []
        self._largest: list[tuple[int, bytes, int]] = []
        self.survey = PreviewCounts()

    def take(
        self, path: bytes, is_dir: bool, is_file: bool, size: int, mtime_ns: int, device: int
    ) -> None:
        """Count one name."""
        size = size if is_file else 0
        if self._skipped and path.startswith(self._skipped):
            self.survey.saved.setdefault(self._rule, SizeCount()).add(size)
            return
        rule = (
            "used by Fasciculus itself, or stored as a database" if path in self._excluded else ""
        )
        if not rule and self._chooser is not None:
            rule = self._chooser.judge(path, is_dir, is_file, size, mtime_ns)
            if rule == ON_THE_WAY:
                return
        if rule:
            self.survey.saved.setdefault(rule, SizeCount()).add(size)
            self._skipped, self._rule = path + b"/", rule
            return
        inside = self.survey.inside
        inside.entries += 1
        inside.bytes += size
        if self._open:
            # Each folder counts what is directly in it; what is deeper comes with its folder's
            # end.
            if not path.startswith(self._prefix):
                self._close(path)
            if self._open:
                inner = self._open[-1][1]
                inner.entries += 1
                inner.bytes += size
        if is_dir:
            self._open.append((path, SizeCount()))
            self._prefix = path + b"/"
            if self._device is None:
                self._device = device
            if (
                self._chooser is not None
                and self._chooser.rules.one_file_system
                and device != self._device
            ):
                self._skipped, self._rule = path + b"/", "on another file system"
        elif is_file and self._before is not None and not self._was_there(path, size, mtime_ns):
            self.survey.new.add(size)

    def _was_there(self, path: bytes, size: int, mtime_ns: int) -> bool:
        assert self._before is not None
        place = path.replace(b"/", b"\0")
        while self._known is not None and self._known[0].replace(b"/", b"\0") < place:
            self._known = next(self._before, None)
        return self._known == (path, size, mtime_ns)

    def _close(self, path: bytes) -> None:
        while self._open and not path.startswith(self._open[-1][0] + b"/"):
            folder, amount = self._open.pop()
            if self._open:
                above = self._open[-1][1]
                above.entries += amount.entries
                above.bytes += amount.bytes
            row = (amount.bytes, folder, amount.entries)
            if len(self._largest) < _FOLDERS:
                heapq.heappush(self._largest, row)
            else:
                heapq.heappushpop(self._largest, row)
        self._prefix = self._open[-1][0] + b"/" if self._open else b""

    def finish(self) -> PreviewCounts:
        """Return the counts."""
        self._close(b"")
        self.survey.folders = [
            (folder, SizeCount(entries, size))
            for size, folder, entries in sorted(self._largest, reverse=True)
        ]
        return self.survey
