"""Orders: plain data that says all a worker needs to know. They may hold secrets."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field

from ..core.bundling.names import SubjectRef
from ..core.dumping.rules import DatabaseRules
from ..core.filtering import FileRules
from ..reach.base import MariaDbSpec
from ..stores.base import StoreSpec


class StoreOrder(BaseModel):
    """A store to write to or read from."""

    name: str
    kind: str
    settings: dict[str, Any]
    secrets: dict[str, str] = Field(default={}, repr=False)
    store_id: str
    #: Bundles of this job and subject that the records know on it, oldest first.
    known: list[str] = []
    pinned: list[str] = []

    def spec(self) -> StoreSpec:
        return StoreSpec(self.name, self.kind, self.settings, self.secrets)


class DatabaseOrder(BaseModel):
    """A database of the subject; ``path`` is that of an SQLite file, below the root."""

    engine: Literal["sqlite", "mariadb"]
    name: str
    path: str = ""


class MailOrder(BaseModel):
    """Where the host keeps mail settings; ``home`` has ``{domain}`` and ``{user}`` in it, ``dkim``
    ``{domain}``. ``refresh`` are the commands to run when they were changed."""

    domains: list[str]
    alias_map: str = ""
    mailbox_map: str = ""
    transport_map: str = ""
    passwd_file: str = ""
    home: str = ""
    dkim: str = ""
    messages: bool = False
    refresh: list[str] = []


class HostOrder(BaseModel):
    """How the host is reached: empty address for this machine, else over SSH."""

    name: str = ""
    address: str = ""
    port: int = 22
    user: str = ""
    host_key: str = ""
    secrets: dict[str, str] = Field(default={}, repr=False)


class NoteOrder(BaseModel):
    """A command whose output is kept, already filled in."""

    name: str
    command: str
    seconds: int


class CommandOrder(BaseModel):
    """A command around the task, already filled in."""

    when: Literal["before", "after_success", "after_failure", "always"]
    command: str
    seconds: int
    stops: bool = True


class MariaDbOrder(BaseModel):
    socket: str = ""
    address: str = ""
    port: int = 3306
    user: str = ""
    password: str = Field(default="", repr=False)

    def spec(self) -> MariaDbSpec:
        return MariaDbSpec(self.socket, self.address, self.port, self.user, self.password)


class SubjectOrder(BaseModel):
    """What a bundle is of, and where its files lie on the host."""

    kind: Literal["account", "site", "host"]
    name: str
    host: str
    root: str
    #: Document roots by site, so that one that is gone is said.
    site_roots: dict[str, str] = {}

    def ref(self) -> SubjectRef:
        return SubjectRef(self.kind, self.name)


class PreviousOrder(BaseModel):
    """The bundle before: its listing beside the records, and the pieces that it needs."""

    name: str
    base: str
    listing: str
    pieces: list[dict[str, Any]]


class BundleOrder(BaseModel):
    """Make one bundle of one subject and bring it to the stores."""

    order: Literal["bundle"] = "bundle"
    run: int
    job: str
    subject: SubjectOrder
    contents: list[str]
    databases: list[DatabaseOrder] = []
    mariadb: MariaDbOrder | None = None
    mail: MailOrder | None = None
    host: HostOrder = HostOrder()
    #: Patterns of settings on the host, and the user whose entries go with them.
    system: list[str] = []
    system_user: str = ""
    #: Every database of the host's server, with all its users.
    all_databases: bool = False
    notes: list[NoteOrder] = []
    commands: list[CommandOrder] = []
    #: Flag files of hold pages, set while the bundle is taken.
    hold_flags: list[str] = []
    stores: list[StoreOrder]
    keep: int
    compression: str = "zstd"
    level: int | None = None
    piece_size: int
    threads: int = 2
    spool: str
    spool_limit: int
    listing: str
    #: For an incremental bundle.
    previous: PreviousOrder | None = None
    #: Pieces that are known to be damaged on some store: what lies in them is stored again.
    damaged: list[str] = []
    #: Why it is a full one, for the log.
    why_full: str = ""
    #: The listing of the bundle before, to count what is new, changed and gone.
    before: str = ""
    #: Compare contents instead of trusting that an unchanged size and time mean unchanged contents.
    compare: bool = False
    left_out: list[str] = []
    rules: FileRules = FileRules()
    database_rules: DatabaseRules = DatabaseRules()
    expected_bytes: int = 0
    expected_packed: int = 0
    writer: str


class RestoreOrder(BaseModel):
    """Bring a bundle, or part of it, back into an empty folder and named databases."""

    order: Literal["restore"] = "restore"
    subject: SubjectOrder
    bundle: str
    store: StoreOrder
    contents: list[str] = []
    paths: list[str] = []
    target: str
    #: New name by the name of a MariaDB database in the bundle.
    databases: dict[str, str] = {}
    mariadb: MariaDbOrder | None = None
    host: HostOrder = HostOrder()
    #: Mail domains to be merged into the host's own files.
    mail: MailOrder | None = None
    spool: str


class PreviewOrder(BaseModel):
    """Say what of a subject's files would go into a bundle, and how large that is."""

    order: Literal["preview"] = "preview"
    subject: SubjectOrder
    host: HostOrder = HostOrder()
    left_out: list[str] = []
    rules: FileRules = FileRules()
    databases: list[DatabaseOrder] = []
    contents: list[str] = ["files"]
    #: The listing of the last bundle, to tell what is new.
    listing: str = ""
    #: Packed bytes per byte of contents in the last bundle, 0 where there was none.
    ratio: float = 0.0
    spool: str


class ReleaseOrder(BaseModel):
    """Take hold pages away that a task left behind."""

    order: Literal["release"] = "release"
    host: HostOrder = HostOrder()
    hold_flags: list[str]
    spool: str


class HeldOrder(BaseModel):
    """A bundle that the records know on a store, and its listing beside the records, where that is at hand."""

    name: str
    listing: str = ""
    listing_sha256: str = ""


class UpkeepOrder(BaseModel):
    """What all work on the copies of one subject on one store needs to know."""

    subject: SubjectOrder
    store: StoreOrder
    bundles: list[HeldOrder]
    spool: str


class VerifyOrder(UpkeepOrder):
    """Look whether copies are whole: quickly, or by reading every byte.

    ``suspects`` are files that were found damaged earlier; those that are sound now are told.
    """

    order: Literal["verify"] = "verify"
    deep: bool = False
    suspects: list[str] = []


class MendOrder(UpkeepOrder):
    """Put intact files from other stores in the place of damaged ones."""

    order: Literal["mend"] = "mend"
    files: list[str]
    sources: list[StoreOrder]


class RepackOrder(UpkeepOrder):
    """Write pieces anew without what no bundle needs any more.

    A piece is written anew when more than ``over`` of what it holds, from 0 to 1, is dead weight.
    New listings are left in the folder ``listings``.
    """

    order: Literal["repack"] = "repack"
    over: float = 0.2
    dry_run: bool = False
    piece_size: int
    threads: int = 2
    spool_limit: int
    listings: str


Order = BundleOrder | RestoreOrder | PreviewOrder | ReleaseOrder | VerifyOrder | MendOrder | RepackOrder


class Envelope(BaseModel):
    """Any order, told apart by its ``order`` field."""

    body: Order = Field(discriminator="order")
