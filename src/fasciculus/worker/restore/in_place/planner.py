"""Compares a bundle with the live tree, and writes the plan, the journal and what is staged."""

from __future__ import annotations

import base64
import json
import os
import shutil
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, BinaryIO

import msgspec
from msgspec.structs import replace

from ....core.bundle.entry import DIR, FILE, Entry, to_text
from ....core.bundle.listing import to_line
from ....core.bundle.reader import is_at_or_below
from ....core.restore.actions import Action, Conflicts
from ....core.restore.likeness import PRIVILEGED, TIME, Likeness, can_change_in_place
from ....core.restore.merging import merged
from ....core.restore.plan_line import PlanLine, PlanSummary
from ....hosts import switch
from .live_tree import LiveTree
from .wanted import WantedEntries

_PLAN = msgspec.json.Encoder()
#: What differs of an entry of which only the inode flags do.
_FLAGS = "inode flags"


@dataclass(frozen=True, slots=True)
class PlanRules:
    """The rules of a plan: the treatment of paths that differ, and whether paths that are not in
    the bundle are removed. ``unreadable`` are paths that could not be read for the bundle;
    ``stamp`` marks a second version of a file.
    """

    conflicts: Conflicts
    remove_extra: bool
    unreadable: frozenset[str]
    stamp: str


@dataclass(slots=True)
class _OpenFolder:
    """A folder of the present path; ``changes`` if something in it is exchanged."""

    path: bytes
    wanted: Entry | None
    live: Entry
    changes: bool = False


class InPlacePlanner:
    """Decides on each path. ``lines`` gets the plan, ``journal`` the operations, ``staged`` the
    listing lines of the entries to be written; ``allowed`` gives an entry as it may be written.
    ``dressed`` is a file for what is done last.
    """

    def __init__(
        self,
        wanted: WantedEntries,
        live: LiveTree,
        likeness: Likeness,
        rules: PlanRules,
        allowed: Callable[[Entry], Entry],
        owner: Callable[[Entry], tuple[int, int]] | None,
        lines: BinaryIO,
        journal: BinaryIO,
        staged: BinaryIO,
        dressed: BinaryIO,
    ) -> None:
        self._wanted, self._live, self._likeness = wanted, live, likeness
        self._rules, self._allowed, self._owner = rules, allowed, owner
        self._lines, self._journal, self._staged = lines, journal, staged
        self._dressed = dressed
        self.summary = PlanSummary()
        #: Whether the bundle holds anything of what was asked for.
        self.found = False
        self._stack: list[_OpenFolder] = []
        #: A path whose whole subtree is decided: new from the bundle, or gone.
        self._new: bytes | None = None
        self._gone: bytes | None = None
        #: Whether what is in it goes with it.
        self._goes_along = False
        self._touched: set[bytes] = set()
        #: Staged files that had other names, which must be replaced with them.
        self._firsts: set[bytes] = set()
        self._exchanged_databases: set[bytes] = set()

    def run(self) -> PlanSummary:
        """Write everything, and return the sums."""
        pairs = merged(self._wanted.entries(), self._live.entries(self._wanted.paths))
        for wanted, live in pairs:
            if wanted is not None and self._wanted.is_wanted(wanted.path):
                self.found = True
            path = wanted.path if wanted is not None else live.path if live is not None else b""
            self._leave(path)
            if wanted is None:
                assert live is not None
                self._only_live(live)
            elif live is None and not self._wanted.is_wanted(path):
                self._on_the_way(wanted)
            else:
                self._both(self._allowed(wanted), live)
        while self._stack:
            self._close(self._stack.pop())
        for path in sorted(self._touched, reverse=True):
            self._keep_times(path)
        self._dressed.seek(0)
        shutil.copyfileobj(self._dressed, self._journal)
        return self.summary

    # Decisions -------------------------------------------------------------------

    def _on_the_way(self, wanted: Entry) -> None:
        """Take a folder that leads to a chosen path: it comes back only if it is missing."""
        if self._inside(self._new, wanted.path) or self._live.describe(wanted.path) is None:
            self._create(self._allowed(wanted))

    def _both(self, wanted: Entry, live: Entry | None) -> None:
        if self._inside(self._new, wanted.path) or live is None:
            self._create(wanted)
        elif wanted.type == DIR and live.type == DIR:
            self._stack.append(_OpenFolder(wanted.path, wanted, live))
        elif why := self._difference(wanted, live):
            self._differs(wanted, live, why)
        elif why := self._likeness.attributes_differ(wanted, live):
            self._attributes(wanted, live, why)
        elif self._lacks_flags(wanted):
            self._line(Action.ATTRIBUTES, wanted, wanted.size, live.size, _FLAGS)
            self._flag(wanted)
        else:
            self.summary.unchanged += 1

    def _lacks_flags(self, wanted: Entry) -> bool:
        """Return whether an entry has inode flags that the live one has not."""
        if not wanted.flags:
            return False
        live = self._live.describe(wanted.path)
        has = set(live.flags.split(",")) if live is not None else set()
        return not set(wanted.flags.split(",")) <= has

    def _difference(self, wanted: Entry, live: Entry) -> str:
        if why := self._likeness.contents_differ(wanted, live):
            return why
        if wanted.kind == "databases" and self._has_open_changes(wanted.path):
            return "changes that are not in the file yet"
        first = wanted.link
        if first is not None and not self._wanted.is_wanted(first):
            # Of a part, it is not known whether the names belong together.
            return ""
        return "its other names" if first != live.link or first in self._firsts else ""

    def _has_open_changes(self, path: bytes) -> bool:
        """Return whether a database file has a log that is not merged into it yet."""
        log = self._live.describe(path + b"-wal")
        return log is not None and log.size > 0

    def _only_live(self, live: Entry) -> None:
        if self._inside(self._gone, live.path) or self._inside(self._new, live.path):
            if self._goes_along:
                self._line(Action.REMOVE, live, 0, live.size, "its folder is set aside")
            return
        if live.path == b"":
            self._stack.append(_OpenFolder(b"", None, live))
            return
        if self._belongs_to_exchanged(live.path):
            self._remove(live, "belongs to the database that is replaced")
        elif not self._rules.remove_extra or self._is_kept(live):
            if live.type == DIR:
                # What is in it is not in the bundle either.
                self._gone, self._goes_along = live.path, False
        else:
            self._remove(live, "not in the bundle")

    def _is_kept(self, live: Entry) -> bool:
        """Return whether something not in the bundle may have been there all the same."""
        shown = live.path.decode("utf-8", "backslashreplace")
        base, dash, _ = live.path.rpartition(b"-")
        # A database that is not chosen, or stays, keeps its log too.
        is_of_database = live.path in self._wanted.origins or (
            dash and base in self._wanted.origins
        )
        return shown in self._rules.unreadable or bool(is_of_database)

    def _belongs_to_exchanged(self, path: bytes) -> bool:
        base, dash, _ = path.rpartition(b"-")
        return bool(dash) and base in self._exchanged_databases

    # Actions ---------------------------------------------------------------------

    def _create(self, wanted: Entry) -> None:
        self._line(Action.CREATE, wanted, wanted.size, 0, "")
        self._stage(wanted)
        if not self._inside(self._new, wanted.path):
            self._place(wanted.path)
            self._new = wanted.path if wanted.type == DIR else None

    def _differs(self, wanted: Entry, live: Entry, why: str) -> None:
        newer = live.mtime_ns > wanted.mtime_ns
        conflicts = self._rules.conflicts
        if conflicts == Conflicts.SKIP or (conflicts == Conflicts.NEWER and newer):
            self._line(Action.KEEP, wanted, wanted.size, live.size, why)
        elif conflicts == Conflicts.BOTH and wanted.type == FILE:
            beside = wanted.path + b"." + self._rules.stamp.encode()
            self._create(replace(wanted, path=beside, link=None))
        else:
            self._replace(wanted, live, why)

    def _replace(self, wanted: Entry, live: Entry, why: str) -> None:
        self._line(Action.REPLACE, wanted, wanted.size, live.size, why)
        self._stage(wanted)
        self._place(wanted.path)
        if live.links > 1 and wanted.type == FILE:
            self._firsts.add(wanted.path)
        if wanted.kind == "databases":
            self._exchanged_databases.add(wanted.path)
        if wanted.type == DIR:
            self._new = wanted.path
        elif live.type == DIR:
            self._gone, self._goes_along = live.path, True

    def _attributes(self, wanted: Entry, live: Entry, why: str) -> None:
        if not can_change_in_place(live):
            self._replace(wanted, live, why)
            return
        self._line(Action.ATTRIBUTES, wanted, wanted.size, live.size, why)
        self._dress(wanted.path, live, wanted)
        if self._lacks_flags(wanted):
            self._flag(wanted)

    def _remove(self, live: Entry, why: str) -> None:
        self._line(Action.REMOVE, live, 0, live.size, why)
        self._operation({"op": switch.REMOVE, "path": os.fsdecode(live.path)})
        self._touch(live.path)
        self._gone, self._goes_along = live.path, True

    # Folders ---------------------------------------------------------------------

    def _leave(self, path: bytes) -> None:
        """Close the folders that the next path is not in."""
        while self._stack and not _is_below(path, self._stack[-1].path):
            self._close(self._stack.pop())

    def _close(self, folder: _OpenFolder) -> None:
        wanted, live = folder.wanted, folder.live
        why = self._likeness.attributes_differ(wanted, live) if wanted is not None else ""
        lacks_flags = wanted is not None and self._lacks_flags(wanted)
        if lacks_flags and why in ("", TIME):
            why = _FLAGS
        if wanted is not None and why:
            if why == TIME:
                # It changes with everything that is put into a folder.
                self.summary.times += 1
            else:
                self._line(Action.ATTRIBUTES, wanted, 0, 0, why)
            self._dress(folder.path, live, wanted)
            if lacks_flags:
                self._flag(wanted)
        elif folder.changes:
            self._dress(folder.path, live, None)
        elif wanted is not None:
            self.summary.unchanged += 1

    def _touch(self, path: bytes) -> None:
        """Note that the folder of a path changes its time, which it gets back at the end."""
        above = path.rpartition(b"/")[0]
        if self._stack and self._stack[-1].path == above:
            self._stack[-1].changes = True
        else:
            self._touched.add(above)

    def _keep_times(self, path: bytes) -> None:
        live = self._live.describe(path)
        if live is not None and live.type == DIR:
            self._dress(path, live, None)

    # Writing ---------------------------------------------------------------------

    def _place(self, path: bytes) -> None:
        self._operation({"op": switch.PLACE, "path": os.fsdecode(path)})
        self._touch(path)

    def _stage(self, entry: Entry) -> None:
        self._staged.write(to_line(entry))
        if entry.flags:
            self._flag(entry)

    def _operation(self, row: dict[str, Any]) -> None:
        self._journal.write(_json(row))

    def _dress(self, path: bytes, live: Entry, wanted: Entry | None) -> None:
        old = _attributes_of(live, (live.uid, live.gid))
        new = old
        if wanted is not None:
            owner = self._owner(wanted) if self._owner is not None else (live.uid, live.gid)
            new = _attributes_of(wanted, owner)
            for key, value in old["xattrs"].items():
                if key.startswith(PRIVILEGED):
                    new["xattrs"].setdefault(key, value)
        row = {"op": switch.DRESS, "path": os.fsdecode(path), "old": old, "new": new}
        self._dressed.write(_json(row))

    def _flag(self, entry: Entry) -> None:
        """Set inode flags at the end, since nothing can be changed after them."""
        row = {"op": switch.FLAG, "path": os.fsdecode(entry.path), "flags": entry.flags}
        self._dressed.write(_json(row))

    def _line(self, action: Action, entry: Entry, size: int, before: int, why: str) -> None:
        line = PlanLine(action, to_text(entry.path), entry.type, size, before, why)
        self.summary.add(line)
        self._lines.write(_PLAN.encode(line) + b"\n")

    @staticmethod
    def _inside(folder: bytes | None, path: bytes) -> bool:
        return folder is not None and is_at_or_below(path, folder)


def _is_below(path: bytes, folder: bytes) -> bool:
    return not folder or path.startswith(folder + b"/")


def _attributes_of(entry: Entry, owner: tuple[int, int]) -> dict[str, Any]:
    xattrs = {key: base64.b64encode(value).decode() for key, value in entry.xattrs.items()}
    return {
        "uid": owner[0],
        "gid": owner[1],
        "mode": entry.mode,
        "mtime": entry.mtime_ns,
        "xattrs": xattrs,
    }


def _json(row: dict[str, Any]) -> bytes:
    return json.dumps(row).encode() + b"\n"
