"""Reading back: any entry out of any bundle, and all of them in one pass.

Every byte is checked: frames by their own checksum, contents by their BLAKE3 digest.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import closing, suppress
from functools import partial
from pathlib import Path
from typing import BinaryIO, Protocol

from blake3 import blake3

from ..errors import DamagedError
from ..subject import Subject
from .codecs import (
    FRAME_SIZE,
    MOST_UNPACKED,
    UNPACK_ERRORS,
    UNPACK_STEP,
    Inflater,
    codec_of,
)
from .entry import FILE, Entry, Extent
from .frame_cache import CachedFrame, FrameCache

_READ = 1024 * 1024
_OPEN_PIECES = 12
_LITTLE = 512
#: What does not pack becomes a little longer.
_LONGEST = MOST_UNPACKED + 1024 * 1024
#: More than the checksum at the end of a frame, of whatever kind.
_TAIL = 16


class RangeSource(Protocol):
    """The part of a store that reading needs."""

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes from ``offset`` on, at most ``length`` of them."""


class PieceReader:
    """Unpacks the frames of one piece; frames that follow each other cost no new request."""

    def __init__(self, source: RangeSource, path: str) -> None:
        self._source, self._path = source, path
        self._codec = codec_of(path)
        self._stream: BinaryIO | None = None
        self._at = -1
        self._left: int | None = None
        self._rest = b""
        self._taken = 0

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._rest, self._at = b"", -1
        if self._stream is not None:
            with suppress(OSError):
                self._stream.close()
            self._stream = None

    def frame(self, offset: int, length: int, more: bool) -> tuple[bytes, int]:
        """Return the unpacked frame at an offset and the offset of the next one.

        ``more`` says that further frames of the piece will be wanted.
        """
        goes_on = (
            self._stream is not None
            and self._at == offset
            and (self._left is None or (not more and self._left + len(self._rest) >= length))
        )
        if not goes_on:
            self.close()
            self._left = None if more else length
            self._stream = self._source.open(self._path, offset, self._left)
            self._at = offset
        try:
            return self._unpack(offset, length), self._at
        except BaseException:
            # Nobody knows where the stream stands now.
            self.close()
            raise

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
        """Exactly one frame from the current position; ``length`` 0 means its end is to be
        found.
        """
        self._taken = 0
        try:
            is_packed = self._codec.name != "none"
            found = (
                self._at_once(length) if length and is_packed else self._little_by_little(length)
            )
        except UNPACK_ERRORS as error:
            raise DamagedError(
                f"The piece {self._path.rpartition('/')[2]} is damaged at byte {offset:,}: "
                f"{error}.",
                "Restore from another copy or another moment.",
            ) from error
        self._at = offset + self._taken
        return found

    def _at_once(self, length: int) -> bytes:
        """Return a frame whose end is known, which is faster."""
        if length > _LONGEST:
            raise OSError("it is longer than a frame may be")
        packed = b"".join(iter(lambda: self._next(length), b""))
        if len(packed) < length:
            raise EOFError("it ends too early")
        if (found := self._codec.whole(packed)) is not None:
            return found
        self._rest, self._taken = packed + self._rest, 0
        return self._little_by_little(length)

    def _little_by_little(self, length: int) -> bytes:
        inflater = self._codec.inflater()
        raw, left = [], MOST_UNPACKED
        for chunk in self._plain(length) if inflater is None else self._inflated(inflater, length):
            raw.append(chunk)
            left -= len(chunk)
            if left < 0:
                raise OSError("it holds more than a frame may")
        return b"".join(raw)

    def _next(self, length: int) -> bytes:
        """More of the frame's stored bytes."""
        data = self._read(min(_READ, length - self._taken) if length else _READ)
        self._taken += len(data)
        return data

    def _plain(self, length: int) -> Iterator[bytes]:
        while data := self._next(length):
            yield data
            if self._taken == length or not length:
                break
        if not self._taken:
            raise EOFError("it ends too early")

    def _inflated(self, inflater: Inflater, length: int) -> Iterator[bytes]:
        while not inflater.eof:
            data = self._next(length)
            if not data:
                raise EOFError("it ends too early")
            at = 0
            while at < len(data) and not inflater.eof:
                yield inflater.decompress(data[at : at + UNPACK_STEP])
                at += UNPACK_STEP
            rest = inflater.unused_data + data[at:]
            self._rest = rest + self._rest
            self._taken -= len(rest)

    def salvaged(self, offset: int, length: int) -> bytes:
        """Return what comes out of a damaged frame before the damage. Nothing says that it is right
        but its digests.
        """
        length = min(length, _LONGEST)
        with closing(self._source.open(self._path, offset, length)) as stream:
            packed = b"".join(iter(partial(stream.read, _READ), b""))
        inflater, found, left = self._codec.inflater(), [], MOST_UNPACKED
        if inflater is None:
            return packed
        # What a call was about to give is lost with it: so little at a time, and the checksum by
        # itself.
        body = max(len(packed) - _TAIL, 0)
        steps = [packed[at : min(at + _LITTLE, body)] for at in range(0, body, _LITTLE)]
        steps += [packed[at : at + 1] for at in range(body, len(packed))]
        with suppress(*UNPACK_ERRORS):
            for step in steps:
                # One by one: what came before the damage is kept.
                found.append(inflater.decompress(step))
                left -= len(found[-1])
                if left < 0:
                    break
        return b"".join(found)


class BundleReader:
    """Gives the contents of entries of one subject's bundles on one store.

    ``spool`` is a folder for what is read but not wanted yet.
    """

    def __init__(self, source: RangeSource, subject: Subject, spool: Path | None = None) -> None:
        self._source, self._subject = source, subject
        self._readers: dict[str, PieceReader] = {}
        self._held = FrameCache(spool)
        self._closed: set[str] = set()

    def __enter__(self) -> BundleReader:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        for reader in self._readers.values():
            reader.close()
        self._readers.clear()
        self._held.close()

    def contents(self, entry: Entry, alone: bool = False) -> Iterator[bytes]:
        """Yield an entry's bytes in chunks; :class:`DamagedError` at the end when the digest
        differs.

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
            raise DamagedError(
                f"{entry.text}: its bytes are not what the listing says.",
                "Restore from another copy or another moment.",
            )

    def _stretch(self, part: Extent, alone: bool) -> Iterator[bytes]:
        left = part.size
        offset, length, skip = part.frame, part.length, part.offset
        while True:
            frame = self._frame(part.piece, offset, length, alone, skip + left)
            chunk = self._held.bytes_of(frame, skip, left)
            if frame.broken is not None and len(chunk) < left:
                raise DamagedError(frame.broken.message, frame.broken.hint)
            if not chunk:
                raise DamagedError(f"The piece {part.piece} holds less than the listing says.")
            left -= len(chunk)
            yield chunk
            if not left:
                return
            offset, length, skip = frame.following, 0, 0

    def _frame(self, piece: str, offset: int, length: int, alone: bool, wanted: int) -> CachedFrame:
        if (known := self._held.find(piece, offset)) is not None:
            return known
        reader = self._reader(piece)
        # A frame holds little more than its nominal size: what is longer surely goes on. Where
        # streams do not
        # stay open until they are wanted again, no more than the frame is asked for.
        more = not length or wanted > FRAME_SIZE or not (alone or piece in self._closed)
        try:
            data, following = reader.frame(offset, length, more)
        except DamagedError as error:
            if not length:
                raise
            # A flipped bit should cost the files that it is in, not all thousand of the frame.
            return self._held.keep(
                piece, offset, offset + length, reader.salvaged(offset, length), error
            )
        return self._held.keep(piece, offset, following, data)

    def _reader(self, piece: str) -> PieceReader:
        reader = self._readers.pop(piece, None)
        if reader is None:
            while len(self._readers) >= _OPEN_PIECES:
                oldest = next(iter(self._readers))
                self._readers.pop(oldest).close()
                self._closed.add(oldest)
            reader = PieceReader(self._source, self._subject.piece(piece))
        self._readers[piece] = reader
        return reader


def only(entries: Iterable[Entry], paths: Iterable[bytes]) -> Iterator[Entry]:
    """Yield the entries at or below some paths; all where none is given."""
    wanted = tuple(path.rstrip(b"/") for path in paths)
    for entry in entries:
        if not wanted or any(is_at_or_below(entry.path, path) for path in wanted):
            yield entry


def is_at_or_below(path: bytes, folder: bytes) -> bool:
    """Return whether a path is a folder, given without a final slash, or is below it."""
    return path == folder or path.startswith(folder + b"/")
