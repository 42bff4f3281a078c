"""Omissions of an archive: entries of its bundle that are missing or altered."""

from __future__ import annotations

from dataclasses import dataclass, field

from ..core.errors import DamagedError
from ..core.formatting import format_size

#: The archive's own file that names them, last in it.
FILE_NAME = "OMISSIONS.txt"
_NAMED = 10_000
#: Maximum bytes of one archive that are replaced by zeros.
MOST_ZEROS = 16 << 30
_HEAD = "These entries of the bundle are missing or altered in this archive:\n\n"


@dataclass(slots=True)
class Omissions:
    """Counts the entries that are lacking or altered, and names the first of them."""

    count: int = 0
    #: How many of them are damaged or missing on the store.
    damaged: int = 0
    #: Unreadable bytes that were replaced by zeros.
    zeros: int = 0
    lines: list[str] = field(default_factory=list)

    def add(self, name: bytes, why: str) -> None:
        """Note an entry by its name in the archive."""
        self.count += 1
        if len(self.lines) < _NAMED:
            self.lines.append(f"{name.decode('utf-8', 'backslashreplace')}: {why}")

    def damage(self, name: bytes, why: str) -> None:
        """Note an entry that is damaged or missing on the store."""
        self.damaged += 1
        self.add(name, why)

    def fill(self, name: bytes, count: int) -> None:
        """Note bytes that are replaced by zeros.

        Raises ``DamagedError`` when there are so many in an archive that it is better to end it: a
        size of which nothing can be read may be no one's but the store's.
        """
        self.zeros += count
        if self.zeros > MOST_ZEROS:
            raise DamagedError(
                f"{name.decode('utf-8', 'backslashreplace')} lacks {format_size(count)}.",
                "Download the rest without it.",
            )

    def text(self) -> bytes:
        """Return the file that names them."""
        more = self.count - len(self.lines)
        lines = [*self.lines, *([f"… and {more:,} more"] if more else [])]
        return (_HEAD + "\n".join(lines) + "\n").encode()
