"""Special modes: attributes of restored files that could give users more rights."""

from __future__ import annotations

import stat

from msgspec.structs import replace

from ...core.bundle.entry import BLOCK, CHAR, FILE, Entry
from ...core.formatting import format_count, format_list
from ...core.restore.likeness import PRIVILEGED
from ..emitter import Emitter

#: Only root sets and removes them.
_FLAGS = {"schg": "immutable", "sappnd": "append-only"}
_SET_ID = stat.S_ISUID | stat.S_ISGID
_LOGGED = 1000


def _is_plain(entry: Entry) -> bool:
    """Return whether an entry has nothing that could be a special mode, as nearly all."""
    return not (entry.mode & _SET_ID or entry.type in (CHAR, BLOCK) or entry.flags or entry.xattrs)


def special_modes_of(entry: Entry) -> list[str]:
    """Return the special modes of an entry, in words."""
    if _is_plain(entry):
        return []
    found = []
    if entry.type == FILE and entry.mode & stat.S_ISUID:
        found.append("set-user-id")
    if entry.type == FILE and entry.mode & stat.S_ISGID:
        found.append("set-group-id")
    if entry.type in (CHAR, BLOCK):
        found.append("device")
    found += [_FLAGS[name] for name in entry.flags.split(",") if name in _FLAGS]
    return found + [key for key in entry.xattrs if key.startswith(PRIVILEGED)]


def without_special_modes(entry: Entry) -> Entry:
    """Return the same entry with its mode and attributes alone of those that anybody may have."""
    if _is_plain(entry):
        return entry
    mode = entry.mode & ~_SET_ID if entry.type == FILE else entry.mode
    xattrs = {k: v for k, v in entry.xattrs.items() if not k.startswith(PRIVILEGED)}
    return replace(entry, mode=mode, xattrs=xattrs, flags="")


class SpecialModesLog:
    """Logs the entries with special modes before anything is written.

    ``come_back`` says whether they are restored.
    """

    def __init__(self, emitter: Emitter, come_back: bool) -> None:
        self._emitter, self._come_back = emitter, come_back
        self._count = 0

    def see(self, entry: Entry) -> None:
        """Log an entry, if it has special modes."""
        if found := special_modes_of(entry):
            self._count += 1
            if self._count <= _LOGGED:
                self._emitter.info(f"{entry.text}: {format_list(found)}")

    def finish(self) -> None:
        """Say how many there were; warn if they do not come back."""
        if self._count and self._come_back:
            entries = format_count(self._count, "entry", "entries")
            self._emitter.info(f"{entries} with special modes, listed above")
        elif self._count:
            self._emitter.warn(
                f"{format_count(self._count, 'entry is', 'entries are')} restored without special "
                "modes, listed above: the records do not vouch for this copy. Use them "
                "(--special-modes) if you trust its store."
            )
