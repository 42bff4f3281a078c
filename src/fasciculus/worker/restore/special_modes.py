"""Special modes: attributes of restored files that could give users more rights."""

from __future__ import annotations

import stat

from msgspec.structs import replace

from ...core.bundle.entry import BLOCK, CHAR, FILE, Entry

#: Only root sets and removes them.
_FLAGS = {"schg": "immutable", "sappnd": "append-only"}
_ATTRIBUTES = ("security.", "trusted.")


def special_modes_of(entry: Entry) -> list[str]:
    """Return the special modes of an entry, in words."""
    found = []
    if entry.type == FILE and entry.mode & stat.S_ISUID:
        found.append("set-user-id")
    if entry.type == FILE and entry.mode & stat.S_ISGID:
        found.append("set-group-id")
    if entry.type in (CHAR, BLOCK):
        found.append("device")
    found += [_FLAGS[name] for name in entry.flags.split(",") if name in _FLAGS]
    return found + [key for key in entry.xattrs if key.startswith(_ATTRIBUTES)]


def without_special_modes(entry: Entry) -> Entry:
    """Return the same entry with its mode and attributes alone of those that anybody may have."""
    mode = entry.mode & ~(stat.S_ISUID | stat.S_ISGID) if entry.type == FILE else entry.mode
    xattrs = {k: v for k, v in entry.xattrs.items() if not k.startswith(_ATTRIBUTES)}
    return replace(entry, mode=mode, xattrs=xattrs, flags="")
