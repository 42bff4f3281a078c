"""``bundle.json``: what a bundle is of and all it needs. Written last; present means complete."""

from __future__ import annotations

import builtins
import json
from collections.abc import Iterable
from typing import Annotated, Literal

import msgspec
from msgspec import UNSET, Meta, Struct, UnsetType, field, to_builtins

from ..errors import DamagedError, TooNewError
from .layout import LISTING, is_listing
from .seal.authentication import authenticate

FORMAT = "fasciculus-bundle"
VERSION = 1
#: More than any manifest takes; what is larger is read no further.
MOST_BYTES = 8 * 1024 * 1024
_LINES = 2000
_Size = Annotated[int, Meta(ge=0, le=2**63 - 1)]
_Sha256 = Annotated[str, Meta(pattern="^[0-9a-f]{64}$")]
#: A piece is a file in a certain folder.
_PieceName = Annotated[str, Meta(pattern=r"^[0-9A-Za-z][0-9A-Za-z._-]{0,250}$")]


#: Moments as ISO 8601 has them, empty where nothing has ended yet.
_Moment = Annotated[
    str,
    Meta(pattern=r"^(\d{4}-\d{2}-\d{2}T\d{2}:\d{2}:\d{2}(\.\d{1,9})?(Z|[+-]\d{2}:\d{2}))?$"),
]
_Word = Annotated[str, Meta(max_length=200)]
_Path = Annotated[str, Meta(max_length=64 * 1024)]
#: What becomes part of an SQL statement.
_CharacterSet = Annotated[str, Meta(pattern=r"^[A-Za-z0-9_]{0,64}$")]


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
    """Entries excluded by one rule of the job; a folder counts once, with everything below it."""

    entries: int = 0
    bytes: int = 0


class DatabaseRecord(Struct):
    """One database at the time of the bundle; ``tables`` has row counts.

    ``shortened`` maps shortened member names to the tables' full names; ``options`` are what a
    database is created with besides its encoding, such as ``lc_collate``.
    """

    engine: Annotated[str, Meta(pattern="^[a-z0-9_]{1,32}$")]
    name: _Path
    server_version: _Word = ""
    character_set: _CharacterSet = ""
    folder: _Path = ""
    origin: _Path = ""
    tables: dict[str, int] = field(default_factory=dict)
    shortened: dict[str, str] = field(default_factory=dict)
    options: dict[str, _Word] = field(default_factory=dict)


class SubjectRecord(Struct):
    """The place of a subject on its host, so that a new installation can propose it."""

    root: str = ""
    account: str = ""
    #: Document roots by site.
    sites: dict[str, str] = field(default_factory=dict)
    mail_domains: list[str] = field(default_factory=list)


class DiffCounts(Struct):
    """The differences to the previous bundle; ``grew`` is in bytes of contents."""

    new: int = 0
    changed: int = 0
    gone: int = 0
    grew: int = 0


class StoredFile(Struct):
    """A file on a store."""

    bytes: int
    sha256: str


class ManifestSummary(Struct):
    """The recorded part of a manifest. ``changes`` has the differences to the previous one."""

    started: str
    ended: str = ""
    contents: dict[str, ContentsCount] = field(default_factory=dict)
    databases: list[DatabaseRecord] = field(default_factory=list)
    pieces: list[PieceRecord] = field(default_factory=list)
    listing_sha256: str = ""
    #: Of ``bundle.json`` itself.
    manifest_sha256: str = ""
    compression: str = "zstd"
    brings: str = "full"
    base: str = ""
    unused_share: float = 0.0
    new_bytes: int = 0
    changes: DiffCounts | UnsetType = UNSET
    #: Public keys that its pieces and listing are sealed to; none for a bundle in the clear.
    sealed_to: list[str] = field(default_factory=list)


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
    origin: SubjectRecord = field(default_factory=SubjectRecord)
    sealed_to: list[str] = field(default_factory=list)
    #: The listing as stored, if it is sealed; the other numbers are of its plain form.
    sealed_listing: StoredFile | None = None

    @property
    def is_repacked(self) -> bool:
        """Return whether repacking wrote it: it gives the listing another name."""
        return self.listing not in (LISTING, f"{LISTING}.age")

    @property
    def stored_listing(self) -> StoredFile:
        """Return the listing as stored."""
        return self.sealed_listing or StoredFile(self.listing_bytes, self.listing_sha256)

    def sums(self) -> builtins.bytes:
        """Return the file for ``sha256sum -c``, run in the bundle's own folder."""
        return sums(self.stored_listing.sha256, self.pieces, self.listing)

    @property
    def entries(self) -> int:
        """Return the number of entries."""
        return sum(count.entries for count in self.contents.values())

    @property
    def bytes(self) -> int:
        """Return bytes of contents that the bundle shows."""
        return sum(count.bytes for count in self.contents.values())

    @property
    def packed(self) -> int:
        """Return bytes of the pieces that this bundle brought to the store."""
        return sum(piece.bytes for piece in self.pieces if piece.brought)

    @property
    def unused_share(self) -> float:
        """Return the share of what its pieces hold that this bundle does not need, from 0 to 1."""
        holds = sum(piece.holds for piece in self.pieces)
        return max(0.0, 1 - sum(piece.used for piece in self.pieces) / holds) if holds else 0.0

    @property
    def new_bytes(self) -> int:
        """Return bytes of contents in the pieces that this bundle brought; the rest of what it
        shows was there.
        """
        return sum(piece.holds for piece in self.pieces if piece.brought)

    def summary(self, manifest_sha256: str = "") -> ManifestSummary:
        """Return what the records keep of it, with the digest of its file."""
        return ManifestSummary(
            self.started,
            self.ended,
            self.contents,
            self.databases,
            self.pieces,
            self.listing_sha256,
            manifest_sha256,
            self.compression,
            self.brings,
            self.base,
            self.unused_share,
            self.new_bytes,
            sealed_to=self.sealed_to,
        )

    def to_json(self, key: builtins.bytes = b"") -> builtins.bytes:
        """Return the file, with the authentication tag of a key, if given."""
        row = to_builtins(self)
        subject = {"kind": row.pop("subject_kind"), "name": row.pop("subject")}
        whole = {"bytes": row.pop("listing_bytes"), "sha256": row.pop("listing_sha256")}
        sealed = row.pop("sealed_listing")
        listing = {"name": row.pop("listing"), **(sealed or whole)}
        if sealed:
            listing["unsealed"] = whole
        if not self.sealed_to:
            row.pop("sealed_to")
        document = {"format": FORMAT, "version": VERSION, "subject": subject, **row}
        document["listing"] = listing
        text = json.dumps(document, indent=1, ensure_ascii=False) + "\n"
        return authenticate(text.encode(), key)

    def shorten(self) -> None:
        """Keep the first of its warnings and of what could not be read: a file of a home of
        millions must stay one that is read in one go.
        """
        self.warnings = _first(self.warnings)
        for count in self.contents.values():
            count.unreadable = _first(count.unreadable)

    def forget_names(self) -> None:
        """Remove everything that could name a file, so that a sealed bundle reveals nothing."""
        if self.warnings:
            said = f"{len(self.warnings):,} warnings: the log of the service has them"
            self.warnings = [said]
        for count in self.contents.values():
            if count.unreadable:
                count.unreadable = [f"{len(count.unreadable):,}: the service's log names them"]
        self.left_out, self.origin = {}, SubjectRecord()
        for record in self.databases:
            record.tables, record.shortened, record.origin = {}, {}, ""


def _first(lines: list[str]) -> list[str]:
    if len(lines) <= _LINES:
        return lines
    return [*lines[:_LINES], f"… and {len(lines) - _LINES:,} more"]


class _Format(Struct):
    """The fields that every version has."""

    format: str
    version: int


class _Subject(Struct):
    kind: Literal["account", "site", "host"]
    name: _Word


class _Stored(Struct):
    bytes: _Size
    sha256: _Sha256


class _Listing(Struct):
    name: str
    bytes: _Size
    sha256: _Sha256
    unsealed: _Stored | None = None


class _Piece(Struct):
    name: _PieceName
    bytes: _Size
    sha256: _Sha256
    brought: bool = True
    holds: _Size = 0
    used: _Size = 0


class _Count(Struct):
    entries: _Size = 0
    bytes: _Size = 0
    unreadable: list[str] = field(default_factory=list)


class _Document(Struct):
    """``bundle.json`` as written; unknown fields are ignored."""

    name: _Word
    subject: _Subject
    job: _Word
    run: _Word
    host: _Word
    started: _Moment
    ended: _Moment
    writer: _Word
    brings: Annotated[str, Meta(pattern="^[a-z]{1,20}$")]
    compression: Literal["zstd", "gzip", "none"]
    contents: dict[str, _Count]
    databases: list[DatabaseRecord]
    pieces: list[_Piece]
    listing: _Listing
    warnings: list[str]
    base: _Moment | None = None
    left_out: dict[str, _Count] = field(default_factory=dict)
    origin: SubjectRecord = field(default_factory=SubjectRecord)
    sealed_to: list[str] = field(default_factory=list)


_document_format = msgspec.json.Decoder(_Format).decode
_document = msgspec.json.Decoder(_Document).decode


def parse_manifest(data: bytes) -> Manifest:
    """Read ``bundle.json``.

    Raises :class:`TooNewError` for a later version of the format and :class:`DamagedError`
    for anything that is not a manifest.
    """
    try:
        known = _document_format(data)
        if known.format != FORMAT:
            raise DamagedError(f"This is not a bundle's manifest but “{known.format}”.")
        if known.version > VERSION:
            raise TooNewError(
                f"This bundle is in version {known.version} of the format, and this reader knows "
                f"version {VERSION}.",
                "Use a newer Fasciculus to read it.",
            )
        row = _document(data)
        if not is_listing(row.listing.name):
            raise ValueError(f"its listing cannot be called “{row.listing.name}”")
        if row.listing.name.endswith(".age") is not (row.listing.unsealed is not None):
            raise ValueError("its listing is sealed and not said to be, or the other way round")
        if not row.started:
            raise ValueError("it does not say when it was made")
        for record in row.databases:
            _check_folder(record.folder)
    except (ValueError, RecursionError) as error:
        raise DamagedError(f"The manifest cannot be read: {error}.") from error
    listing = row.listing.unsealed or row.listing
    return Manifest(
        name=row.name,
        subject_kind=row.subject.kind,
        subject=row.subject.name,
        job=row.job,
        run=row.run,
        host=row.host,
        started=row.started,
        ended=row.ended,
        writer=row.writer,
        brings=row.brings,
        base=row.started if row.base is None else row.base,
        compression=row.compression,
        contents={
            kind: ContentsCount(count.entries, count.bytes, count.unreadable)
            for kind, count in row.contents.items()
        },
        databases=row.databases,
        pieces=[
            PieceRecord(
                piece.name, piece.bytes, piece.sha256, piece.brought, piece.holds, piece.used
            )
            for piece in row.pieces
        ],
        listing=row.listing.name,
        listing_bytes=listing.bytes,
        listing_sha256=listing.sha256,
        warnings=row.warnings,
        left_out={
            rule: ExcludedCount(count.entries, count.bytes) for rule, count in row.left_out.items()
        },
        origin=row.origin,
        sealed_to=row.sealed_to,
        sealed_listing=StoredFile(row.listing.bytes, row.listing.sha256)
        if row.listing.unsealed is not None
        else None,
    )


def _check_folder(folder: str) -> None:
    if folder and not {"", ".", ".."}.isdisjoint(folder.split("/")):
        raise ValueError(f"its database cannot be in the folder “{folder}”")


def sums(listing_sha256: str, pieces: Iterable[PieceRecord], listing: str = LISTING) -> bytes:
    """Return the file for ``sha256sum -c``, run in the bundle's own folder."""
    lines = [f"{listing_sha256}  {listing}\n"]
    lines += [f"{piece.sha256}  ../../pieces/{piece.name}\n" for piece in pieces]
    return "".join(lines).encode()
