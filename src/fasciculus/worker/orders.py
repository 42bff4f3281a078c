"""Orders: plain data that says all a worker needs to know. They may hold secrets.

They are msgspec structures: a worker is started for each task, and pydantic's models would take it
a quarter of a second to make."""

from __future__ import annotations

from typing import Any, Literal, TypeVar

import msgspec

from ..core.bundle.layout import SubjectRef
from ..core.dump.filters import DatabaseRules
from ..core.file_filters import FileRules
from ..hosts.base import MariaDbSpec
from ..stores.base import StoreSpec


class Data(msgspec.Struct, kw_only=True):
    """The base of all that stands in orders."""

    def __repr__(self) -> str:
        # It may hold secrets.
        return f"<{type(self).__name__}>"


_O = TypeVar("_O", bound=Data)


class StoreOrder(Data, kw_only=True):
    """A store to write to or read from."""

    name: str
    kind: str
    settings: dict[str, Any]
    secrets: dict[str, str] = {}
    store_id: str
    #: Bundles of this job and subject that the records know on it, oldest first.
    known: list[str] = []
    pinned: list[str] = []

    def spec(self) -> StoreSpec:
        return StoreSpec(self.name, self.kind, self.settings, self.secrets)


class DatabaseOrder(Data, kw_only=True):
    """A database of the subject; ``path`` is that of an SQLite file, below the root."""

    engine: Literal["sqlite", "mariadb"]
    name: str
    path: str = ""


class MailOrder(Data, kw_only=True):
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


class HostOrder(Data, kw_only=True):
    """How the host is reached: empty address for this machine, else over SSH."""

    name: str = ""
    address: str = ""
    port: int = 22
    user: str = ""
    host_key: str = ""
    secrets: dict[str, str] = {}


class NoteOrder(Data, kw_only=True):
    """A command whose output is kept, already filled in."""

    name: str
    command: str
    seconds: int


class CommandOrder(Data, kw_only=True):
    """A command around the task, already filled in."""

    when: Literal["before", "after_success", "after_failure", "always"]
    command: str
    seconds: int
    stops: bool = True


class MariaDbOrder(Data, kw_only=True):
    socket: str = ""
    address: str = ""
    port: int = 3306
    user: str = ""
    password: str = ""

    def spec(self) -> MariaDbSpec:
        return MariaDbSpec(self.socket, self.address, self.port, self.user, self.password)


class SubjectOrder(Data, kw_only=True):
    """What a bundle is of, and where its files lie on the host."""

    kind: Literal["account", "site", "host"]
    name: str
    host: str
    root: str
    #: Document roots by site, so that one that is gone is said.
    site_roots: dict[str, str] = {}

    def ref(self) -> SubjectRef:
        return SubjectRef(self.kind, self.name)


class PreviousOrder(Data, kw_only=True):
    """The bundle before: its listing beside the records, and the pieces that it needs."""

    name: str
    base: str
    listing: str
    listing_sha256: str = ""
    #: The states of its files, where they are at hand.
    states: str = ""
    pieces: list[dict[str, Any]]


class BundleOrder(Data, kw_only=True, tag_field="order", tag="bundle"):
    """Make one bundle of one subject and bring it to the stores."""

    run: int
    job: str
    subject: SubjectOrder
    contents: list[str]
    databases: list[DatabaseOrder] = []
    mariadb: MariaDbOrder | None = None
    mail: MailOrder | None = None
    host: HostOrder = msgspec.field(default_factory=HostOrder)
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
    #: Where to leave the states of the files for the next bundle, if anywhere.
    states: str = ""
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


class RestoreOrder(Data, kw_only=True, tag_field="order", tag="restore"):
    """Bring a bundle, or part of it, back into an empty folder and named databases."""

    subject: SubjectOrder
    bundle: str
    store: StoreOrder
    contents: list[str] = []
    paths: list[str] = []
    target: str
    #: New name by the name of a MariaDB database in the bundle.
    databases: dict[str, str] = {}
    mariadb: MariaDbOrder | None = None
    host: HostOrder = msgspec.field(default_factory=HostOrder)
    #: Mail domains to be merged into the host's own files.
    mail: MailOrder | None = None
    spool: str


class PreviewOrder(Data, kw_only=True, tag_field="order", tag="preview"):
    """Say what of a subject's files would go into a bundle, and how large that is."""

    subject: SubjectOrder
    host: HostOrder = msgspec.field(default_factory=HostOrder)
    left_out: list[str] = []
    rules: FileRules = FileRules()
    databases: list[DatabaseOrder] = []
    contents: list[str] = msgspec.field(default_factory=lambda: ["files"])
    #: The listing of the last bundle, to tell what is new.
    listing: str = ""
    #: Packed bytes per byte of contents in the last bundle, 0 where there was none.
    ratio: float = 0.0
    spool: str


class ReleaseOrder(Data, kw_only=True, tag_field="order", tag="release"):
    """Take hold pages away that a task left behind."""

    host: HostOrder = msgspec.field(default_factory=HostOrder)
    hold_flags: list[str]
    spool: str


class CopyOrder(Data, kw_only=True):
    """A bundle that the records know on a store, and its listing beside the records, where that is
    at hand.
    """

    name: str
    listing: str = ""
    listing_sha256: str = ""


class MaintenanceOrder(Data, kw_only=True):
    """What all work on the copies of one subject on one store needs to know."""

    subject: SubjectOrder
    store: StoreOrder
    bundles: list[CopyOrder]
    spool: str


class VerifyOrder(MaintenanceOrder, kw_only=True, tag_field="order", tag="verify"):
    """Look whether copies are whole: quickly, or by reading every byte.

    ``suspects`` are files that were found damaged earlier; those that are sound now are told.
    """

    deep: bool = False
    suspects: list[str] = []


class MendOrder(MaintenanceOrder, kw_only=True, tag_field="order", tag="mend"):
    """Put intact files from other stores in the place of damaged ones."""

    files: list[str]
    sources: list[StoreOrder]


class RepackOrder(MaintenanceOrder, kw_only=True, tag_field="order", tag="repack"):
    """Write pieces anew without what no bundle needs any more.

    A piece is written anew when more than ``over`` of what it holds, from 0 to 1, is dead weight.
    New listings are left in the folder ``listings``.
    """

    over: float = 0.2
    dry_run: bool = False
    piece_size: int
    threads: int = 2
    spool_limit: int
    listings: str


Order = (
    BundleOrder | RestoreOrder | PreviewOrder | ReleaseOrder | VerifyOrder | MendOrder | RepackOrder
)


class Envelope(Data, kw_only=True):
    """Any order, told apart by its ``order`` field."""

    body: Order


def to_line(order: Order) -> bytes:
    """An order as one line of JSON."""
    return msgspec.json.encode(Envelope(body=order)) + b"\n"


def from_line(line: bytes) -> Order:
    """The order of a line; ``ValueError`` when it is none."""
    return msgspec.json.decode(line, type=Envelope).body


def made(kind: type[_O], values: dict[str, Any]) -> _O:
    """An order of plain values; ``ValueError`` names what does not fit."""
    return msgspec.convert(values, kind)
