"""``bundle.json``: what a bundle is of and all it needs. Written last; present means complete."""

from __future__ import annotations

import builtins
import json
import re
from collections.abc import Iterable
from typing import Any

from msgspec import UNSET, Struct, UnsetType, ValidationError, convert, field, to_builtins

from ..errors import DamagedError, TooNewError
from .layout import LISTING, is_listing

FORMAT = "fasciculus-bundle"
VERSION = 1
_SHA256 = re.compile("[0-9a-f]{64}")
_ROWS = list[dict[str, Any]]


class PieceRecord(Struct):
    """One archive file that the bundle needs; ``brought`` says this bundle wrote it.

    ``holds`` are the bytes of contents in it, and ``used`` those of them that this bundle needs.
    """

    name: str
    bytes: int
    sha256: str
    brought: bool = True
    holds: int = 0
    used: int = 0


class ContentsCount(Struct):
    """Per contents kind: how much of it, and what could not be read."""

    entries: int = 0
    bytes: int = 0
    unreadable: list[str] = field(default_factory=list)


class ExcludedCount(Struct):
    """How much one rule of the job left out; a folder counts once, with all below it."""

    entries: int = 0
    bytes: int = 0


class DatabaseRecord(Struct):
    """One database as it was at the moment of the bundle; ``tables`` are row counts."""

    engine: str
    name: str
    server_version: str = ""
    character_set: str = ""
    folder: str = ""
    origin: str = ""
    tables: dict[str, int] = field(default_factory=dict)


class DiffCounts(Struct):
    """How a bundle differs from the previous one; ``grew`` is in bytes of contents."""

    new: int = 0
    changed: int = 0
    gone: int = 0
    grew: int = 0


class ManifestSummary(Struct):
    """What the records keep of a manifest. ``changes`` is how it differs from the previous one."""

    started: str
    ended: str = ""
    contents: dict[str, ContentsCount] = field(default_factory=dict)
    databases: list[DatabaseRecord] = field(default_factory=list)
    pieces: list[PieceRecord] = field(default_factory=list)
    listing_sha256: str = ""
    compression: str = "zstd"
    brings: str = "full"
    base: str = ""
    dead_share: float = 0.0
    new_bytes: int = 0
    changes: DiffCounts | UnsetType = UNSET


class Manifest(Struct):
    """The contents of ``bundle.json``. Moments are ISO 8601 in UTC."""

    name: str
    subject_kind: str
    subject: str
    job: str
    run: str
    host: str
    started: str
    ended: str = ""
    writer: str = ""
    brings: str = "full"
    #: The moment of the full bundle that this one builds on; its own for a full one.
    base: str = ""
    compression: str = "zstd"
    contents: dict[str, ContentsCount] = field(default_factory=dict)
    databases: list[DatabaseRecord] = field(default_factory=list)
    pieces: list[PieceRecord] = field(default_factory=list)
    #: The name of its listing; repacking gives it another one.
    listing: str = LISTING
    listing_bytes: int = 0
    listing_sha256: str = ""
    warnings: list[str] = field(default_factory=list)
    left_out: dict[str, ExcludedCount] = field(default_factory=dict)

    @property
    def entries(self) -> int:
        return sum(count.entries for count in self.contents.values())

    @property
    def bytes(self) -> int:
        """Bytes of contents that the bundle shows."""
        return sum(count.bytes for count in self.contents.values())

    @property
    def packed(self) -> int:
        """Bytes of the pieces that this bundle brought to the store."""
        return sum(piece.bytes for piece in self.pieces if piece.brought)

    @property
    def dead_share(self) -> float:
        """The share of what its pieces hold that this bundle does not need, from 0 to 1."""
        holds = sum(piece.holds for piece in self.pieces)
        return max(0.0, 1 - sum(piece.used for piece in self.pieces) / holds) if holds else 0.0

    @property
    def new_bytes(self) -> int:
        """Bytes of contents in the pieces that this bundle brought; the rest of what it shows was
        there.
        """
        return sum(piece.holds for piece in self.pieces if piece.brought)

    def summary(self) -> ManifestSummary:
        """What the records keep of it."""
        return ManifestSummary(
            self.started,
            self.ended,
            self.contents,
            self.databases,
            self.pieces,
            self.listing_sha256,
            self.compression,
            self.brings,
            self.base,
            self.dead_share,
            self.new_bytes,
        )

    def to_json(self) -> builtins.bytes:
        row = to_builtins(self)
        subject = {"kind": row.pop("subject_kind"), "name": row.pop("subject")}
        listing = {
            "name": row.pop("listing"),
            "bytes": row.pop("listing_bytes"),
            "sha256": row.pop("listing_sha256"),
        }
        document = {"format": FORMAT, "version": VERSION, "subject": subject, **row}
        document["listing"] = listing
        return (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode()


def parse_manifest(data: bytes) -> Manifest:
    """Read ``bundle.json``.

    Raises :class:`TooNewError` for a later version of the format and :class:`DamagedError`
    for anything that is not a manifest.
    """
    try:
        row: dict[str, Any] = json.loads(data)
        if row["format"] != FORMAT:
            raise DamagedError(f"This is not a bundle's manifest but “{row['format']}”.")
        if row["version"] > VERSION:
            raise TooNewError(
                f"This bundle is in version {row['version']} of the format, and this reader knows "
                f"version {VERSION}.",
                "Use a newer Fasciculus to read it.",
            )
        pieces = [PieceRecord(**piece) for piece in convert(row["pieces"], _ROWS)]
        if not is_listing(row["listing"]["name"]) or any("/" in piece.name for piece in pieces):
            raise ValueError("it names a file outside its own folders")
        manifest = Manifest(
            name=row["name"],
            subject_kind=row["subject"]["kind"],
            subject=row["subject"]["name"],
            job=row["job"],
            run=row["run"],
            host=row["host"],
            started=row["started"],
            ended=row["ended"],
            writer=row["writer"],
            brings=row["brings"],
            base=row.get("base", row["started"]),
            compression=row["compression"],
            contents={kind: ContentsCount(**count) for kind, count in row["contents"].items()},
            databases=[DatabaseRecord(**found) for found in convert(row["databases"], _ROWS)],
            pieces=pieces,
            listing=row["listing"]["name"],
            listing_bytes=row["listing"]["bytes"],
            listing_sha256=row["listing"]["sha256"],
            warnings=row["warnings"],
            left_out={
                rule: ExcludedCount(**count) for rule, count in row.get("left_out", {}).items()
            },
        )
        _check(manifest)
    except (ValueError, KeyError, TypeError, AttributeError, ValidationError) as error:
        raise DamagedError(f"The manifest cannot be read: {error}.") from error
    return manifest


def _check(manifest: Manifest) -> None:
    """Raise an error for a value of another type, a size below zero, a digest that is none."""
    convert(to_builtins(manifest), Manifest)
    sizes = [size for piece in manifest.pieces for size in (piece.bytes, piece.holds, piece.used)]
    sizes += [size for count in manifest.contents.values() for size in (count.entries, count.bytes)]
    sizes += [size for count in manifest.left_out.values() for size in (count.entries, count.bytes)]
    if min(sizes, default=0) < 0 or manifest.listing_bytes < 0:
        raise ValueError("a size is below zero")
    digests = [manifest.listing_sha256, *(piece.sha256 for piece in manifest.pieces)]
    if not all(_SHA256.fullmatch(digest) for digest in digests):
        raise ValueError("a digest is none")


def sums(listing_sha256: str, pieces: Iterable[PieceRecord], listing: str = LISTING) -> bytes:
    """The file for ``sha256sum -c``, run in the bundle's own folder."""
    lines = [f"{listing_sha256}  {listing}\n"]
    lines += [f"{piece.sha256}  ../../pieces/{piece.name}\n" for piece in pieces]
    return "".join(lines).encode()
