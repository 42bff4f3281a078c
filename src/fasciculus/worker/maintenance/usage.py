"""The used and unused data of a subject's pieces on a store."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import orjson
from msgspec.structs import replace

from ...contracts.results import RepackResult
from ...core.bundle.entry import Entry, Extent
from ...core.bundle.layout import kind_and_number
from ...core.bundle.listing import from_line
from ...core.bundle.manifest import Manifest, PieceRecord
from ...core.formatting import format_count, format_size

_AT_ONCE = 5000


@dataclass(frozen=True, slots=True)
class UsageTotals:
    """The pieces on a store, those worth rewriting, and bytes of contents: ``lives`` is
    what of the chosen ones is needed. ``frees`` and ``needs``, for the new pieces, estimate packed
    bytes."""

    chosen: frozenset[str]
    pieces: int
    stored: int
    holds: int
    unused: int
    lives: int
    frees: int
    needs: int

    def result(self, summary: str, entries: int, bytes: int, freed: int = 0) -> RepackResult:
        """Return the result of repacking, or of a dry run, with these numbers in it."""
        return RepackResult(
            outcome="done",
            summary=summary,
            entries=entries,
            bytes=bytes,
            pieces=self.pieces,
            stored=self.stored,
            holds=self.holds,
            unused=self.unused,
            chosen=len(self.chosen),
            frees=self.frees,
            freed=freed,
        )

    def sentence(self) -> str:
        """Return the usage in one sentence."""
        share = self.unused / self.holds if self.holds else 0.0
        text = (
            f"{format_count(self.pieces, 'piece')} of {format_size(self.stored)}, {share:.0%} of "
            "what they hold "
            "is unused"
        )
        if not self.chosen:
            return f"{text}; no piece is worth rewriting."
        return (
            f"{text}; {format_count(len(self.chosen), 'piece')} rewritten would free about "
            f"{format_size(self.frees)}."
        )


class PieceUsage:
    """Contents by place, in a file, so that a million of them need little memory.

    As the listing of a packer it notes where contents were packed again.
    """

    def __init__(self, path: Path) -> None:
        self._db = sqlite3.connect(path, isolation_level=None, check_same_thread=False)
        self._db.executescript(
            "PRAGMA journal_mode=OFF; PRAGMA synchronous=OFF;"
            "CREATE TABLE content (piece INTEGER, frame INTEGER, start INTEGER, digest BLOB, "
            "line BLOB, "
            "parts INTEGER, PRIMARY KEY (piece, frame, start)) WITHOUT ROWID;"
            "CREATE TABLE part (piece INTEGER, frame INTEGER, start INTEGER, size INTEGER, "
            "PRIMARY KEY (piece, frame, start)) WITHOUT ROWID;"
            "CREATE TABLE chosen (piece INTEGER PRIMARY KEY, kind TEXT);"
            "CREATE TABLE moved (digest BLOB PRIMARY KEY, parts BLOB) WITHOUT ROWID;"
        )
        self._ids: dict[str, int] = {}
        self._held: dict[str, PieceRecord] = {}
        self._chosen: frozenset[str] = frozenset()

    def __enter__(self) -> PieceUsage:
        return self

    def __exit__(self, *_: object) -> None:
        self._db.close()

    def _id(self, piece: str) -> int:
        return self._ids.setdefault(piece, len(self._ids))

    def take(self, lines: Iterable[bytes]) -> int:
        """Note what one bundle needs; returns the number of its entries."""
        contents: list[tuple[int, int, int, bytes, bytes, int]] = []
        parts: list[tuple[int, int, int, int]] = []
        count = 0
        for line in lines:
            count += 1
            if b'"at"' not in line:
                continue
            row = orjson.loads(line)
            at = row["at"]
            contents.append(
                (
                    self._id(at[0][0]),
                    at[0][1],
                    at[0][3],
                    bytes.fromhex(row["blake3"]),
                    line,
                    len(at),
                )
            )
            parts += [(self._id(piece), frame, start, size) for piece, frame, _, start, size in at]
            if len(contents) >= _AT_ONCE:
                self._write(contents, parts)
        self._write(contents, parts)
        return count

    def _write(
        self,
        contents: list[tuple[int, int, int, bytes, bytes, int]],
        parts: list[tuple[int, int, int, int]],
    ) -> None:
        self._db.execute("BEGIN")
        self._db.executemany("INSERT OR IGNORE INTO content VALUES (?, ?, ?, ?, ?, ?)", contents)
        self._db.executemany("INSERT OR IGNORE INTO part VALUES (?, ?, ?, ?)", parts)
        self._db.execute("COMMIT")
        contents.clear()
        parts.clear()

    # Choosing ------------------------------------------------------------------

    def choose(
        self, manifests: Iterable[Manifest], over: float, every: bool = False
    ) -> UsageTotals:
        """Return the pieces of which more than a share is unused; with ``every``, all of them.

        Pieces that a bundle wrote itself are never among them: it needs all of them, and a full
        bundle must still unpack with only tar.
        """
        brought: set[str] = set()
        for manifest in manifests:
            for piece in manifest.pieces:
                self._held.setdefault(piece.name, piece)
                if piece.brought:
                    brought.add(piece.name)
        lives = dict.fromkeys(self._held, 0)
        names = {number: name for name, number in self._ids.items()}
        for number, size in self._db.execute("SELECT piece, sum(size) FROM part GROUP BY piece"):
            lives[names[number]] = size
        known = {name: piece for name, piece in self._held.items() if piece.holds}
        unused = {name: max(0, piece.holds - lives[name]) for name, piece in known.items()}
        chosen = {
            name
            for name, piece in known.items()
            if name not in brought and unused[name] > over * piece.holds
        }
        self._with_what_is_split(chosen, known.keys() - brought)
        self._chosen = frozenset(chosen)
        self._db.executemany(
            "INSERT INTO chosen VALUES (?, ?)",
            [(self._id(name), kind_and_number(name)[0]) for name in sorted(chosen)],
        )
        self._db.execute("CREATE INDEX content_digest ON content(digest)")
        return UsageTotals(
            self._chosen,
            len(self._held),
            sum(piece.bytes for piece in self._held.values()),
            sum(piece.holds for piece in known.values()),
            sum(unused.values()),
            sum(lives[name] for name in chosen),
            sum(known[name].bytes * unused[name] // known[name].holds for name in chosen),
            sum(known[name].bytes * lives[name] // known[name].holds for name in chosen),
        )

    def _with_what_is_split(self, chosen: set[str], able: set[str]) -> None:
        """Keep files that are spread over pieces with all of them, or with none."""
        groups = [
            {at[0] for at in orjson.loads(line)["at"]}
            for (line,) in self._db.execute("SELECT line FROM content WHERE parts > 1")
        ]
        changed = True
        while changed:
            changed = False
            for group in groups:
                if group & chosen and not group <= chosen:
                    changed = True
                    if group <= able:
                        chosen |= group
                    else:
                        chosen -= group
                        able = able - group

    # Moving --------------------------------------------------------------------

    def moving(self, kind: str) -> Iterator[Entry]:
        """Yield what must be packed again of the chosen pieces of a kind, each contents once, where
        they are in order.
        """
        last = (-1, -1, -1)
        while rows := self._after(kind, last):
            for _, _, _, line in rows:
                yield replace(from_line(line), kind=kind, link=None, origin=None, xattrs={})
            last = rows[-1][:3]

    def _after(self, kind: str, last: tuple[int, int, int]) -> list[tuple[int, int, int, bytes]]:
        # Some at a time: the packer's thread writes to the same file.
        return self._db.execute(
            "SELECT piece, frame, start, line FROM content AS c WHERE piece IN (SELECT piece "
            "FROM chosen WHERE kind=?) "
            "AND (piece, frame, start) > (?, ?, ?) AND NOT EXISTS (SELECT 1 FROM content AS o "
            "WHERE "
            "o.digest=c.digest AND o.piece NOT IN (SELECT piece FROM chosen)) "
            "AND NOT EXISTS (SELECT 1 FROM content AS e WHERE e.digest=c.digest AND "
            "(e.piece, e.frame, e.start) < (c.piece, c.frame, c.start)) "
            "ORDER BY piece, frame, start LIMIT ?",
            (kind, *last, _AT_ONCE),
        ).fetchall()

    def add(self, entry: Entry) -> None:
        """Note where contents were packed."""
        self._db.execute(
            "INSERT OR REPLACE INTO moved VALUES (?, ?)",
            (
                bytes.fromhex(entry.digest),
                orjson.dumps([[p.piece, p.frame, p.length, p.offset, p.size] for p in entry.parts]),
            ),
        )

    def add_line(self, line: bytes) -> None:
        """Nothing is ever listed again unchanged."""
        raise NotImplementedError

    add_lines = add_line

    def place_of(self, row: dict[str, Any]) -> list[Extent] | None:
        """Return where a listed entry's bytes are now; None where they stayed."""
        if not any(at[0] in self._chosen for at in row["at"]):
            return None
        digest = bytes.fromhex(row["blake3"])
        found = self._db.execute("SELECT parts FROM moved WHERE digest=?", (digest,)).fetchone()
        if found is not None:
            return [Extent(*part) for part in orjson.loads(found[0])]
        other = self._db.execute(
            "SELECT line FROM content WHERE digest=? AND piece NOT IN "
            "(SELECT piece FROM chosen) LIMIT 1",
            (digest,),
        ).fetchone()
        return [Extent(*part) for part in orjson.loads(other[0])["at"]]

    def others(self, names: Iterable[str]) -> list[PieceRecord]:
        """Return the records of pieces that a bundle needs now, since they contain the
        same data.
        """
        return [self._held[name] for name in names]
