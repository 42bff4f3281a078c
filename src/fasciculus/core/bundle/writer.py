"""Entries in, pieces and listing out.

The calling thread builds tar frames of about 8 MiB; a pool packs several of them at once
(the compressors release the interpreter lock); one writer thread puts the packed
frames into piece files in order, digests them, and lists each entry once the place
of its bytes is known. Memory is bounded by the frames under way, disk by the
caller's :class:`PieceSpool`.
"""

from __future__ import annotations

import hashlib
import queue
import threading
from collections import Counter, defaultdict
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, BinaryIO

from blake3 import blake3

from . import tar_header
from .codecs import FRAME_SIZE, Codec
from .entry import FILE, Entry, Extent
from .layout import SUFFIX, piece_name
from .manifest import ContentsCount, PieceRecord
from .write_queue import (
    ByteSource,
    ListingSink,
    PendingEntry,
    PendingExtent,
    PendingFrame,
    PieceSpool,
    WriteRequest,
)

if TYPE_CHECKING:
    from concurrent.futures import Future, ThreadPoolExecutor

    from .seal.sealing import Sealer

_READ = 1024 * 1024
_LISTED_AT_ONCE = 10_000
_LINES_AT_ONCE = 2 * 1024 * 1024
SMALLEST_PIECE = 1024 * 1024
PART_MARK = b".fasciculus-part-"


_NO_ENTRY = Entry("", b"")


class BundleWriter:
    """Packs the entries of one bundle, kind after kind.

    ``piece_size`` bounds the tar bytes of a piece before packing, so that a piece is
    not larger than it either. ``on_packed`` is called with the packed bytes of each frame.
    ``numbers`` are the last numbers that pieces of the bundle have already, by kind.
    """

    def __init__(
        self,
        bundle: str,
        codec: Codec,
        room: PieceSpool,
        listing: ListingSink,
        *,
        piece_size: int,
        threads: int = 2,
        frame_size: int = FRAME_SIZE,
        on_packed: Callable[[int], None] = lambda count: None,
        known: Callable[[str, str, int], list[Extent] | None] = lambda kind, digest, size: None,
        numbers: dict[str, int] | None = None,
        sealer: Sealer | None = None,
    ) -> None:
        self._bundle, self._codec, self._room, self._listing = bundle, codec, room, listing
        # What cannot be packed grows by the frame's own header, a few bytes in a million.
        self._piece_size = max(piece_size, SMALLEST_PIECE) * 999 // 1000 - len(tar_header.END)
        self._frame_size = min(frame_size, self._piece_size)
        self._on_packed, self._known = on_packed, known
        self._sealer = sealer
        self._suffix = codec.suffix + (SUFFIX if sealer is not None else "")
        self._threads = threads
        self._pool: ThreadPoolExecutor | None = None
        self._queue: queue.Queue[WriteRequest | None] = queue.Queue(threads + 1)
        self._failure: BaseException | None = None
        # Not Thread.join: a signal that breaks into it marks the thread as ended (CPython 3.11).
        self._written = threading.Event()
        self._writer = threading.Thread(target=self._write_all, name="pieces", daemon=True)
        self._writer.start()
        self._buffer = bytearray()
        self._lines_held = 0
        self._frame = PendingFrame()
        self._listed: list[PendingEntry] = []
        self._piece_bytes = 0
        self._kind = ""
        self._split: set[bytes] = set()
        self._numbers: dict[str, int] = dict(numbers or {})
        self.counts: defaultdict[str, ContentsCount] = defaultdict(ContentsCount)
        self.pieces: list[PieceRecord] = []
        #: Bytes of contents that the listing's entries need, by piece, those of earlier bundles
        #: included.
        self.used: Counter[str] = Counter()

    # The calling thread ------------------------------------------------------

    def add_link(self, entry: Entry, first: Entry, held: bool = False) -> None:
        """Add a hard link to an earlier entry; it is listed with that one's bytes.

        ``held`` says that an earlier bundle's piece has its header already.
        """
        if not self.links_to(first.path):
            raise ValueError("a link to a split file must bring its own bytes")
        entry.size, entry.digest = first.size, first.digest
        if held:
            self._count(entry)
        opened = PendingEntry(entry) if held else self._begin(entry)
        opened.first = first
        self._finish(opened)

    def add(self, entry: Entry, data: bytes = b"") -> None:
        """Add an entry whose contents are at hand; its size becomes that of ``data``."""
        if entry.type == FILE:
            entry.size = len(data)
            entry.digest = blake3(data).hexdigest()
            if data and (parts := self._known(entry.kind, entry.digest, len(data))):
                return self.add_known(entry, parts)
        opened = self._begin(entry)
        if data:
            if self._room_for(entry, len(data)):
                # A frame must not become as large as a row of a database may be.
                step = self._frame_size
                chunks = (data[at : at + step] for at in range(0, len(data), step))
                self._add_chunks(opened, chunks, len(data))
            else:
                self._add_parts(opened, iter((data,)))
        self._finish(opened)

    def add_known(self, entry: Entry, parts: list[Extent], line: bytes = b"") -> None:
        """Add an entry whose bytes an earlier bundle brought; ``line`` is its line when nothing
        differs.
        """
        self._count(entry)
        entry.parts = parts
        for part in parts:
            if entry.link is None:
                self.used[part.piece] += part.size
        self._finish(PendingEntry(entry, line=line, placed=True))

    def add_line(self, kind: str, line: bytes, size: int, at: list[list[Any]]) -> None:
        """Add an unchanged file by its line in the previous listing."""
        self._turn_to(kind)
        count = self.counts[kind]
        count.entries += 1
        count.bytes += size
        for part in at:
            self.used[part[0]] += part[4]
        self._listed.append(PendingEntry(_NO_ENTRY, line=line))
        if len(self._listed) >= _LISTED_AT_ONCE:
            self._cut()

    def add_lines(
        self,
        kind: str,
        lines: bytes,
        entries: int,
        size: int,
        used: Iterable[tuple[str, int]],
        then: Callable[[], None],
    ) -> None:
        """Add unchanged entries of the previous listing; ``then`` is called afterwards."""
        self._turn_to(kind)
        count = self.counts[kind]
        count.entries += entries
        count.bytes += size
        for piece, held in used:
            self.used[piece] += held
        # Together, since each turn of the writing thread costs this one a wait for the
        # interpreter's lock.
        last = self._listed[-1] if self._listed and self._listed[-1].lines else None
        if last is None:
            last = PendingEntry(_NO_ENTRY)
            self._listed.append(last)
        last.lines.append(lines)
        last.then.append(then)
        self._lines_held += len(lines)
        if self._lines_held > _LINES_AT_ONCE:
            self._cut()

    def add_stream(self, entry: Entry, source: ByteSource, warn: Callable[[str], None]) -> None:
        """Add a file of ``entry.size`` bytes, read as a stream.

        Bytes missing because the file shrank are filled with zeros; bytes it grew by are left for
        the next bundle. Both are reported through ``warn``.
        """
        digest = blake3()
        opened = self._begin(entry)
        chunks = _exactly(source, entry.size, digest, lambda m: warn(f"{entry.text}: {m}"))
        if self._room_for(entry, entry.size):
            self._add_chunks(opened, chunks, entry.size)
        else:
            self._add_parts(opened, chunks)
        entry.digest = digest.hexdigest()
        self._finish(opened)

    def links_to(self, path: bytes) -> bool:
        """Return whether a hard link to that entry can be stored as a link.

        Not so when the entry was split over pieces: plain tar would find no such name.
        """
        return path not in self._split

    def finish(self) -> list[PieceRecord]:
        """End the last piece, wait for the writer, and give all pieces."""
        self._end_piece()
        self._submit(None)
        self._written.wait()
        if self._pool is not None:
            self._pool.shutdown()
        self._check()
        return self.pieces

    def abandon(self) -> None:
        """Stop the threads without finishing; what was spooled is the caller's to sweep."""
        self._failure = self._failure or RuntimeError("abandoned")
        while not self._written.is_set():
            try:
                self._queue.put(None, timeout=0.1)
                break
            except queue.Full:
                continue
        if self._pool is not None:
            self._pool.shutdown(wait=False, cancel_futures=True)

    def _turn_to(self, kind: str) -> None:
        self._check()
        if kind != self._kind:
            self._end_piece()
            self._kind = kind

    def _count(self, entry: Entry) -> None:
        self._turn_to(entry.kind)
        count = self.counts[entry.kind]
        count.entries += 1
        if entry.type == FILE and entry.link is None:
            count.bytes += entry.size

    def _begin(self, entry: Entry) -> PendingEntry:
        self._count(entry)
        if not (entry.type == FILE and entry.link is None and entry.size):
            self._place(tar_header.header(entry))
        return PendingEntry(entry)

    def _room_for(self, entry: Entry, size: int) -> bool:
        """Write the header if the entry fits into one piece, ending the current one if need be."""
        head = tar_header.header(entry, size)
        need = len(head) + size + 511
        if need > self._piece_size:
            self._split.add(entry.path)
            return False
        if self._piece_bytes + need > self._piece_size:
            self._end_piece()
        self._append(head)
        return True

    def _place(self, head: bytes) -> None:
        if self._piece_bytes + len(head) > self._piece_size:
            self._end_piece()
        self._append(head)

    def _add_chunks(self, opened: PendingEntry, chunks: Iterator[bytes], size: int) -> None:
        opened.stretches.append(PendingExtent(self._frame, len(self._buffer), size))
        for chunk in chunks:
            self._append(chunk)
            if len(self._buffer) >= self._frame_size:
                self._cut()
        self._append(tar_header.padding(size))

    def _add_parts(self, opened: PendingEntry, chunks: Iterator[bytes]) -> None:
        """Spread a file that is larger than a piece over several, each with its own header."""
        entry, left, number = opened.entry, opened.entry.size, 0
        rest = b""
        while left:
            self._end_piece()
            number += 1
            name = entry.name + PART_MARK + b"%04d" % number
            head = tar_header.header(entry, self._piece_size, name)
            size = min(left, (self._piece_size - len(head) - 511) // 512 * 512)
            self._append(tar_header.header(entry, size, name))
            opened.stretches.append(PendingExtent(self._frame, len(self._buffer), size))
            need = size
            while need:
                chunk = rest or next(chunks)
                rest = chunk[need:]
                self._append(chunk[:need])
                need -= len(chunk) - len(rest)
                if len(self._buffer) >= self._frame_size:
                    self._cut()
            self._append(tar_header.padding(size))
            left -= size

    def _append(self, data: bytes) -> None:
        self._buffer += data
        self._piece_bytes += len(data)

    def _finish(self, opened: PendingEntry) -> None:
        self._listed.append(opened)
        if len(self._buffer) >= self._frame_size or len(self._listed) >= _LISTED_AT_ONCE:
            self._cut()

    def _cut(self, ends_piece: bool = False) -> None:
        data: Future[bytes] | None = None
        if self._buffer:
            # Handed over without a copy: nothing appends to it any longer.
            data = self._packers().submit(self._codec.pack, self._buffer)
        self._submit(WriteRequest(self._frame, data, self._listed, self._kind, ends_piece))
        if data is not None:
            self._buffer = bytearray()
            self._frame = PendingFrame()
        self._listed = []
        self._lines_held = 0

    def _packers(self) -> ThreadPoolExecutor:
        if self._pool is None:
            # Imported late: on a night on which nothing changed there is nothing to pack.
            from concurrent.futures import ThreadPoolExecutor

            self._pool = ThreadPoolExecutor(self._threads, "pack")
        return self._pool

    def _end_piece(self) -> None:
        if self._piece_bytes:
            self._append(tar_header.END)
            self._cut(ends_piece=True)
            self._piece_bytes = 0
        elif self._listed:
            self._cut()

    def _submit(self, item: WriteRequest | None) -> None:
        while True:
            self._check()
            try:
                self._queue.put(item, timeout=0.5)
                return
            except queue.Full:
                continue

    def _check(self) -> None:
        if self._failure is not None:
            raise self._failure

    # The writer thread -------------------------------------------------------

    def _write_all(self) -> None:
        try:
            file: BinaryIO | None = None
            record, digest, path = PieceRecord("", 0, ""), hashlib.sha256(), Path()
            while (item := self._queue.get()) is not None and self._failure is None:
                if item.data is not None:
                    if file is None:
                        number = self._numbers[item.kind] = self._numbers.get(item.kind, 0) + 1
                        name = piece_name(self._bundle, item.kind, number, self._suffix)
                        path = self._room.take() / name
                        record, digest = PieceRecord(name, 0, ""), hashlib.sha256()
                        file = path.open("wb")
                    data = item.data.result()
                    item.frame.piece, item.frame.offset = record.name, record.bytes
                    item.frame.length = len(data)
                    file.write(data)
                    digest.update(data)
                    record.bytes += len(data)
                    self._on_packed(len(data))
                for opened in item.listed:
                    self._list(opened)
                if item.ends_piece and file is not None:
                    file.close()
                    file = None
                    record.sha256 = digest.hexdigest()
                    if self._sealer is not None:
                        self._seal(path, record)
                    self.pieces.append(record)
                    self._room.put(path, record)
            if file is not None:
                file.close()
        except BaseException as error:
            self._failure = self._failure or error
        finally:
            self._written.set()

    def _seal(self, path: Path, record: PieceRecord) -> None:
        """Put a sealed file in the place of a finished piece."""
        assert self._sealer is not None
        plain = path.with_name(path.name + ".plain")
        path.rename(plain)
        record.bytes, record.sha256 = self._sealer.seal(plain, path)
        plain.unlink()

    def _list(self, opened: PendingEntry) -> None:
        entry = opened.entry
        if opened.lines:
            self._listing.add_lines(b"".join(opened.lines))
            for then in opened.then:
                then()
            return
        if opened.line:
            self._listing.add_line(opened.line + b"\n")
            return
        if opened.first is not None:
            entry.parts = opened.first.parts
        elif not opened.placed:
            entry.parts = [
                Extent(s.frame.piece, s.frame.offset, s.frame.length, s.offset, s.size)
                for s in opened.stretches
            ]
            for part in entry.parts:
                self.used[part.piece] += part.size
        self._listing.add(entry)


def _exactly(
    source: ByteSource, size: int, digest: blake3, warn: Callable[[str], None]
) -> Iterator[bytes]:
    """Exactly ``size`` bytes of a file, digested on the way."""
    left = size
    while left:
        try:
            chunk = source.read(min(_READ, left))
            reason = "became shorter while it was read"
        except OSError as error:
            chunk, reason = b"", f"could not be read to its end ({error.strerror})"
        if not chunk:
            warn(f"{reason}; the missing end is zero bytes")
            while left:
                chunk = bytes(min(_READ, left))
                digest.update(chunk)
                left -= len(chunk)
                yield chunk
            return
        digest.update(chunk)
        left -= len(chunk)
        yield chunk
