"""A database of a bundle as one SQL file."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

from ..core.bundle.entry import Entry
from .tar_export import ExportSelection, contents_or_none

#: The last line, which shows that a file is whole.
END = b"-- The end of the dump.\n"


@dataclass(frozen=True, slots=True)
class SqlScript:
    """The rules for one SQL file: the members that are part of it, and the part of each."""

    folder: str
    wants: Callable[[str], bool]
    part: Callable[[str, bytes], bytes]


def sql_stream(wanted: ExportSelection, script: SqlScript) -> Iterator[bytes]:
    """Yield the members in the order of loading. One that is damaged is named in a comment."""
    omissions = wanted.omissions
    with wanted.reader() as reader:
        for entry in wanted.entries():
            name = _name(entry, script.folder)
            if name is None or not script.wants(name):
                continue
            contents = contents_or_none(entry, reader, omissions) if entry.size else iter(())
            if contents is None:
                yield f"-- {_commented(entry.text)} is missing: it is damaged.\n".encode()
                continue
            yield script.part(name, b"".join(contents))
            yield b"\n"
    yield END


def _name(entry: Entry, folder: str) -> str | None:
    head, _, name = entry.text.rpartition("/")
    return name if entry.kind == "databases" and head == folder else None


def _commented(text: str) -> str:
    """Return a name that cannot end a comment."""
    return "".join(c if c.isprintable() else "?" for c in text)
