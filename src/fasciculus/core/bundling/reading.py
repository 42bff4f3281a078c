"""Reading back: any entry out of any bundle, and all of them in one pass.

Every byte is checked: frames by their own checksum, contents by their BLAKE3 digest.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import suppress
from typing import BinaryIO, Protocol

from blake3 import blake3

from ..errors import Damaged
from .entry import FILE, Entry, Part
from .frames import FRAME_SIZE, UNPACK_ERRORS, codec_of
from .names import SubjectRef

_READ = 1024 * 1024
_OPEN_PIECES = 12


class Ranges(Protocol):
    """The part of a store that reading needs."""

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """A stream of a file's bytes from ``offset`` on, at most ``length`` of them."""


class PieceReader:
    """Unpacks the frames of one piece; frames that follow each other cost no new request."""

    def __init__(self, source: Ranges, path: str) -> None:
        self._source, self._path = source, path
        self._codec = codec_of(path)
        self._stream: BinaryIO | None = None
        self._at = -1
        self._left: int | None = None
        self._rest = b""
        self._cached: tuple[int, bytes, int] = (-1, b"", -1)

    def close(self) -> None:
        if self._stream is not None:
            with suppress(OSError):
                self._stream.close()
            self._stream = None

    def frame(self, offset: int, length: int, more: bool) -> tuple[bytes, int]:
        """The unpacked frame at an offset and the offset of the next one.

        ``more`` says that further frames of the piece will be wanted.
        """
        if self._cached[0] == offset:
            return self._cached[1], self._cached[2]
        if self._stream is None or self._at != offset:
            self.close()
            self._rest = b""
            self._left = None if more else length
            self._stream = self._source.open(self._path, offset, self._left)
            self._at = offset
        elif self._left is not None and (more or self._left + len(self._rest) < length):
            self.close()
            return self.frame(offset, length, more)
        data = self._unpack(offset, length)
        self._cached = (offset, data, self._at)
        return data, self._at

    def _read(self, count: int) -> bytes:
        if self._rest:
            data, self._rest = self._rest[:count], self._rest[count:]
            return data
        assert self._stream is not None
        data = self._stream.read(count)
        if self._left is not None:
            self._left -= len(data)
        return data

    def _unpack(self, offset: int, length: int) -> bytes:
        """Exactly one frame from the current position; ``length`` 0 means its end is to be found."""
        inflater = self._codec.inflater()
        raw, seen = [], 0
        try:
            while inflater is None or not inflater.eof:
                data = self._read(min(_READ, length - seen) if length else _READ)
                if not data:
                    if inflater is None and seen:
                        break
                    raise EOFError("it ends too early")
                seen += len(data)
                if inflater is None:
                    raw.append(data)
                    if seen == length or not length:
                        break
                else:
                    raw.append(inflater.decompress(data))
            if inflater is not None and inflater.unused_data:
                self._rest = inflater.unused_data + self._rest
                seen -= len(inflater.unused_data)
        except UNPACK_ERRORS as error:
            raise Damaged(
                f"The piece {self._path.rpartition('/')[2]} is damaged at byte {offset:,}: {error}.",
                "Restore from another copy or another moment.",
            ) from error
        self._at = offset + seen
        return b"".join(raw)


class BundleReader:
    """Gives the contents of entries of one subject's bundles on one store."""

    def __init__(self, source: Ranges, subject: SubjectRef) -> None:
        self._source, self._subject = source, subject
        self._readers: dict[str, PieceReader] = {}

    def __enter__(self) -> BundleReader:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        for reader in self._readers.values():
            reader.close()
        self._readers.clear()

    def contents(self, entry: Entry, alone: bool = False) -> Iterator[bytes]:
        """An entry's bytes in chunks; :class:`Damaged` at the end when the digest differs.

        ``alone`` says that nothing after this entry will be read, so that no more
        than its own frames are asked of the store.
        """
        if entry.type != FILE:
            return
        digest = blake3()
        for part in entry.parts:
            for chunk in self._stretch(part, alone):
                digest.update(chunk)
                yield chunk
        if digest.hexdigest() != entry.digest:
            raise Damaged(
                f"{entry.text}: its bytes are not what the listing says.",
                "Restore from another copy or another moment.",
            )

    def _stretch(self, part: Part, alone: bool) -> Iterator[bytes]:
        reader = self._reader(part.piece)
        left = part.size
        offset, length, skip = part.frame, part.length, part.offset
        while True:
            # A frame holds little more than its nominal size: what is longer surely goes on.
            more = not alone or not length or skip + left > FRAME_SIZE
            data, following = reader.frame(offset, length, more)
            chunk = data[skip:skip + left]
            if not chunk:
                raise Damaged(f"The piece {part.piece} holds less than the listing says.")
            left -= len(chunk)
            yield chunk
            if not left:
                return
            offset, length, skip = following, 0, 0

    def _reader(self, piece: str) -> PieceReader:
        # An incremental bundle goes to and fro among the pieces of many nights: each keeps its frame.
        reader = self._readers.pop(piece, None)
        if reader is None:
            while len(self._readers) >= _OPEN_PIECES:
                self._readers.pop(next(iter(self._readers))).close()
            reader = PieceReader(self._source, self._subject.piece(piece))
        self._readers[piece] = reader
        return reader


def only(entries: Iterable[Entry], kinds: Iterable[str], paths: Iterable[bytes]) -> Iterator[Entry]:
    """The entries of some kinds, and when ``paths`` are given those at or below one of them."""
    wanted_kinds, wanted = frozenset(kinds), tuple(path.rstrip(b"/") for path in paths)
    for entry in entries:
        if wanted_kinds and entry.kind not in wanted_kinds:
            continue
        if wanted and not any(
            entry.path == path or entry.path.startswith(path + b"/") for path in wanted
        ):
            continue
        yield entry
