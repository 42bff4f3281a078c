"""Comparing an entry of a bundle with a live one."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from ..bundle.entry import BLOCK, CHAR, DIR, FILE, SYMLINK, Entry

#: What differs of an entry of which only the time does.
TIME = "time"
#: Attributes of files that only root sets; without special modes they stay unchanged.
PRIVILEGED = ("security.", "trusted.")


class Likeness:
    """Compares entries, by size and time or by their contents.

    ``owner`` returns the numbers of an entry's owner and group on this host, None if owners are not
    set; ``digest`` the BLAKE3 digest of a live file, None to compare sizes and times only.
    """

    def __init__(
        self,
        owner: Callable[[Entry], tuple[int, int]] | None,
        digest: Callable[[Entry], str] | None,
        with_privileged: bool,
    ) -> None:
        self._owner, self._digest, self._with_privileged = owner, digest, with_privileged

    def contents_differ(self, wanted: Entry, live: Entry) -> str:
        """Return in which way type or contents differ, empty if they do not."""
        if wanted.type != live.type:
            return f"a {live.type} is there"
        if wanted.type == SYMLINK:
            return "its target" if wanted.target != live.target else ""
        if wanted.type in (CHAR, BLOCK):
            return "its device" if wanted.rdev != live.rdev else ""
        if wanted.type != FILE:
            return ""
        if wanted.size != live.size:
            return "its size"
        if self._digest is None:
            return "its time" if wanted.mtime_ns != live.mtime_ns else ""
        if wanted.size and wanted.digest != self._digest(live):
            return "its contents"
        return ""

    def attributes_differ(self, wanted: Entry, live: Entry) -> str:
        """Return which attributes differ, empty if none does."""
        found = []
        if self._owner is not None and self._owner(wanted) != (live.uid, live.gid):
            found.append("owner")
        if wanted.type != SYMLINK and wanted.mode != live.mode:
            found.append("mode")
        if wanted.mtime_ns != live.mtime_ns:
            found.append(TIME)
        has_any = wanted.xattrs or live.xattrs
        if has_any and self._kept(wanted.xattrs) != self._kept(live.xattrs):
            found.append("attributes")
        return ", ".join(found)

    def _kept(self, xattrs: Mapping[str, bytes]) -> dict[str, bytes]:
        if self._with_privileged:
            return dict(xattrs)
        return {k: v for k, v in xattrs.items() if not k.startswith(PRIVILEGED)}


def can_change_in_place(live: Entry) -> bool:
    """Return whether attributes of a live entry can be set without replacing it: a folder, or a
    file with a single name, since another name might be in another user's folder.
    """
    return live.type == DIR or (live.type == FILE and live.links == 1)
