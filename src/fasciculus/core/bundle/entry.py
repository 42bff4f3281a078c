"""One entry of a bundle, as the scan finds it and as the listing keeps it."""

from __future__ import annotations

import base64
from typing import Annotated

from msgspec import Meta, Struct, field

from ..errors import SettingError

FILE, DIR, SYMLINK, FIFO, CHAR, BLOCK = "file", "dir", "symlink", "fifo", "char", "block"


_Size = Annotated[int, Meta(ge=0, le=2**63 - 1)]


class Extent(Struct, array_like=True, gc=False):
    """The place of some of an entry's bytes.

    ``frame`` is the byte offset of the frame in the piece, ``length`` the frame's
    length as stored, ``offset`` where the stretch starts in the unpacked frame, and
    ``size`` how many bytes of contents it holds. A long stretch goes on in the
    frames that follow.
    """

    piece: str
    frame: _Size
    length: _Size
    offset: _Size
    size: _Size


class Entry(Struct, gc=False):
    """A file, folder, link or special file.

    ``path`` is relative to the contents kind, as bytes, since file names need not be UTF-8; the
    empty path is the subject's own root folder. Times are nanoseconds since 1970. ``link`` names
    the earlier entry of the same kind that this one is a hard link to; ``links`` counts the names
    that the scan saw on it, and is not listed. ``origin`` is where a database copy lay below the
    subject's root; ``flags`` are those of its inode, as ``inode_flags`` names them."""

    kind: str
    path: bytes
    type: str = FILE
    size: int = 0
    mode: int = 0o644
    uid: int = 0
    gid: int = 0
    user: str = ""
    group: str = ""
    mtime_ns: int = 0
    ctime_ns: int = 0
    inode: int = 0
    device: int = 0
    target: bytes | None = None
    link: bytes | None = None
    rdev: tuple[int, int] = (0, 0)
    xattrs: dict[str, bytes] = field(default_factory=dict)
    digest: str = ""
    parts: list[Extent] = field(default_factory=list)
    origin: bytes | None = None
    links: int = 1
    flags: str = ""

    @property
    def name(self) -> bytes:
        """Its name inside the tar pieces."""
        return self.kind.encode() + b"/" + self.path if self.path else self.kind.encode()

    @property
    def text(self) -> str:
        """Return the path for people; bytes that are not UTF-8 are shown as escapes."""
        return self.path.decode("utf-8", "backslashreplace")


_BASE64 = "base64:"


def to_text(path: bytes) -> str:
    """Return a path for JSON: unchanged, or ``base64:…`` if it is not UTF-8."""
    try:
        return path.decode()
    except UnicodeDecodeError:
        return _BASE64 + base64.b64encode(path).decode()


def to_bytes(text: str) -> bytes:
    """Return the path of such a text; :class:`SettingError` when it is none."""
    if not text.startswith(_BASE64):
        return text.strip("/").encode()
    try:
        return base64.b64decode(text[len(_BASE64) :], validate=True)
    except ValueError as error:
        raise SettingError(
            f"The path “{text}” cannot be read.", "Take it from a listing.", field="paths"
        ) from error


def order(path: bytes) -> tuple[bytes, ...]:
    """Return the sort key of scan order: each folder directly before what is in it."""
    return tuple(path.split(b"/"))
