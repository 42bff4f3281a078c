"""Bundles, what is in them, and restores."""

from __future__ import annotations

from datetime import UTC, datetime

from pydantic import Field, field_validator

from ...core.contents import Contents
from ...core.subject import SubjectKind
from ..model import Model
from ..queries import DownloadQuery
from .entry_changes import Changes


class Copy(Model):
    """A bundle on one store."""

    store: str
    made: datetime
    #: When it was last looked at, and last read through, and whether nothing of it is known to be
    #: damaged.
    verified: datetime | None = None
    verified_deep: datetime | None = None
    sound: bool = True
    #: Until when nobody can remove it; None without a lock.
    locked_until: datetime | None = None


class Pin(Model):
    """Why a bundle is exempt from every keep rule, and until when; without end where that is
    None."""

    reason: str = Field(default="", max_length=200)
    until: datetime | None = None

    @field_validator("until")
    @classmethod
    def _with_zone(cls, value: datetime | None) -> datetime | None:
        return value.replace(tzinfo=UTC) if value and value.tzinfo is None else value


class Bundle(Model):
    """A subject's complete state at one point in time: ``entries`` of ``bytes``, of which
    ``new_bytes`` were new and took ``packed`` bytes after packing.
    """

    id: int
    name: str
    subject_kind: SubjectKind
    subject: str
    job: str
    host: str
    run: int | None
    moment: datetime
    entries: int
    bytes: int
    new_bytes: int = 0
    packed: int
    outcome: str = "done"
    #: The label of its run, if any.
    label: str = ""
    pin: Pin | None = None
    copies: list[Copy] = []


class ContentsInfo(Model):
    """The size of one kind of contents in a bundle, and the unreadable paths."""

    entries: int = 0
    bytes: int = 0
    unreadable: list[str] = []


class DatabaseInfo(Model):
    """A database in a bundle; ``tables`` are row counts by table."""

    engine: str
    name: str
    server_version: str = ""
    character_set: str = ""
    folder: str = ""
    origin: str = ""
    tables: dict[str, int] = {}


class TableInfo(Model):
    """A table of a database in a bundle; ``rows`` is None where they were not counted, and
    ``bytes`` is how much of the bundle's contents it is, 0 where that is not known.
    """

    name: str
    rows: int | None = None
    bytes: int = 0


class DatabaseTables(Model):
    """A database in a bundle by its tables. ``folder`` is where it lies among the contents, and
    ``bytes`` all of it.
    """

    engine: str
    engine_title: str
    name: str
    folder: str
    bytes: int
    tables: list[TableInfo]


class PieceInfo(Model):
    """An archive file that a bundle needs; ``brought`` says that this bundle wrote it."""

    name: str
    bytes: int
    sha256: str
    brought: bool = True
    holds: int = 0
    used: int = 0


class BundleDetail(Bundle):
    """A bundle with the summary of its ``bundle.json``.

    ``brings`` is full or incremental, ``base`` the time of the full bundle that it builds on, and
    ``unused_share`` the share of the data in its pieces that it does not need, from 0 to 1.
    """

    brings: str = "full"
    base: str = ""
    unused_share: float = 0.0
    contents: dict[str, ContentsInfo]
    databases: list[DatabaseInfo]
    pieces: list[PieceInfo]
    compression: str
    changes: Changes | None = None
    #: Public keys that it is sealed to; none for one in the clear.
    sealed_to: list[str] = []


class BundleEntry(Model):
    """An entry of a folder; for folders, ``files`` and ``bytes`` cover all that is below."""

    name: str
    path: str
    type: str
    bytes: int
    files: int
    mode: str
    user: str
    group: str
    mtime: datetime
    target: str | None = None


class BundleFiles(Model):
    """Entries of one folder of a bundle; ``more`` says that there are others."""

    kind: Contents
    folder: str
    items: list[BundleEntry]
    more: bool


class EntrySearch(Model):
    """Entries whose path holds the words that were looked for."""

    items: list[BundleEntry]
    more: bool


class TableChange(Model):
    """A table with its number of rows in two bundles, None if a bundle lacks it."""

    database: str
    table: str
    before: int | None
    after: int | None


class FileDifference(Model):
    """A file in two bundles: whether each has it, and the lines that differ, in unified format;
    ``note`` says why there are no lines.
    """

    path: str
    before: bool
    after: bool
    lines: list[str] = []
    note: str = ""


class DownloadLinkStart(Model):
    """A link to one download, for someone without a sign-in, valid for a number of hours and uses;
    ``note`` is shown on its page. With ``as_copy`` another installation fetches the files of
    the bundle, for hours only.
    """

    download: DownloadQuery = DownloadQuery()
    as_copy: bool = False
    hours: int = Field(default=24, ge=1, le=24 * 30)
    uses: int = Field(default=1, ge=1, le=100)
    note: str = Field(default="", max_length=200)


class DownloadLink(Model):
    """A link to a download, or to the files of a bundle for another installation, without its
    secret, and how often it was used.
    """

    id: int
    bundle: int
    subject_kind: SubjectKind
    subject: str
    download: DownloadQuery
    as_copy: bool = False
    note: str = ""
    created: datetime
    created_by: str
    expires: datetime
    uses: int
    used: int = 0
    last_used: datetime | None = None


class DownloadLinkMade(DownloadLink):
    """A new link. ``url`` is shown only once; with ``as_copy`` so is ``code``, which goes to the
    other installation next to the address.
    """

    url: str
    code: str = ""


class CopyFiles(Model):
    """The files of a bundle: their sizes by their paths on a store."""

    bundle: str
    files: dict[str, int]


class FileVersion(Model):
    """One state of a file: its size, its BLAKE3 digest or link target, when it was changed, in
    seconds since 1970, and the first and last bundle that have it.
    """

    type: str
    bytes: int
    digest: str
    changed: float
    first: int
    first_moment: datetime
    last: int
    last_moment: datetime


class VersionedFile(Model):
    """A file with its versions over the bundles of a subject and job, oldest first. ``is_gone``
    says that the newest bundle lacks it.
    """

    subject_kind: SubjectKind
    subject: str
    job: str
    kind: Contents
    path: str
    is_gone: bool
    versions: list[FileVersion]


class VersionsFound(Model):
    """The files that a search over bundles found; ``bundles`` were searched in ``seconds``.

    ``more`` says that it ended early; ``unreadable`` names what could not be searched, and why.
    """

    items: list[VersionedFile] = []
    bundles: int = 0
    seconds: float = 0
    more: bool = False
    unreadable: list[str] = []


class InstructionStep(Model):
    """A step of bringing a bundle back: what it is for, its commands, and a note."""

    title: str
    commands: list[str] = []
    note: str = ""


class Instructions(Model):
    """How to bring a bundle back: with Fasciculus, one command for each purpose; and by hand, step
    by step.
    """

    with_fasciculus: list[InstructionStep]
    by_hand: list[InstructionStep]


class DownloadReport(Model):
    """The omissions of a download: the number of missing or altered entries, and the
    first of them. ``sha256`` is the digest of the whole file, once all of it was sent.
    """

    sha256: str = ""
    omissions: int = 0
    named: list[str] = []
