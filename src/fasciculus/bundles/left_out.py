"""What of a bundle is not in an archive that was made of it, or not as it was."""

from __future__ import annotations

from dataclasses import dataclass, field

#: The archive's own file that names them, last in it.
FILE_NAME = "LEFT-OUT.txt"
_NAMED = 10_000
_HEAD = "Of the bundle these entries are not in this archive, or not as they were:\n\n"


@dataclass(slots=True)
class LeftOut:
    """Counts the entries that are lacking or altered, and names the first of them."""

    count: int = 0
    lines: list[str] = field(default_factory=list)

    def add(self, name: bytes, why: str) -> None:
        """Note an entry by its name in the archive."""
        self.count += 1
        if len(self.lines) < _NAMED:
            self.lines.append(f"{name.decode('utf-8', 'backslashreplace')}: {why}")

    def text(self) -> bytes:
        """The file that names them."""
        more = self.count - len(self.lines)
        lines = [*self.lines, *([f"… and {more:,} more"] if more else [])]
        return (_HEAD + "\n".join(lines) + "\n").encode()
