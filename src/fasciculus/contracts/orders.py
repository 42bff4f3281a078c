"""Orders: plain data that says all a worker needs to know.

``order`` tells the kinds apart. How an order travels is in ``order_lines.py``.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Literal

import msgspec

from ..bundles.recorded_copies import RecordedCopies
from ..core.bundle.manifest import PieceRecord
from ..core.dump.filters import DatabaseRules
from ..core.file_filters import FileRules
from ..core.restore.actions import Conflicts
from ..core.subject import Subject, SubjectKind
from ..databases.base import DatabaseRef
from ..hosts import host_spec
from ..stores import store_spec
from .artifacts import Artifact
from .sealed_secrets import Secret

if TYPE_CHECKING:
    from ..databases.base import ServerSpec
    from ..hosts.base import HostSpec
    from ..kinds import Settings
    from ..stores.base import StoreSpec


class OrderData(msgspec.Struct, kw_only=True):
    """The base of all that is in orders."""

    def __repr__(self) -> str:
        # It may hold secrets.
        return f"<{type(self).__name__}>"


class _Kind(OrderData):
    kind: str = ""


_kind_decoder = msgspec.json.Decoder(_Kind)


class _OfKind(OrderData, kw_only=True):
    """The base of orders with settings of some kind, as JSON."""

    settings: str

    @property
    def kind(self) -> str:
        return _kind_decoder.decode(self.settings).kind


class CopyOrder(OrderData, kw_only=True):
    """A bundle that the records know on a store; see ``RecordedCopy``."""

    name: str
    manifest: Artifact | None = None
    manifest_sha256: str = ""
    listing: Artifact | None = None
    listing_sha256: str = ""
    pieces: list[str] = []
    #: Whether this service made it: set-user-id bits and the like come back by themselves.
    vouched: bool = True


class StoreOrder(_OfKind, kw_only=True):
    """A store to write to or read from; ``settings`` are those of its kind, as JSON."""

    name: str
    secrets: dict[str, Secret] = {}
    stall_timeout: float = 120.0
    read_back: bool = True
    #: The queue of the workers near it, empty for none; and whether only the service's machine has
    #: it.
    queue: str = ""
    is_here: bool = False
    #: Whether nothing there may be removed or replaced with these secrets.
    append_only: bool = False
    #: Until when this bundle's copy is locked, as ISO 8601; empty for no lock.
    locked_until: str = ""
    #: As people write them; see ``core/transfer_limits.py``.
    limits: list[str] = []
    #: Bytes that stay free.
    reserve: int = 0
    #: Where access to a drive is kept, and its key in hexadecimal; none for other kinds.
    tokens: Artifact | None = None
    tokens_key: Secret = Secret()
    #: Private keys that open what is sealed.
    identities: list[Secret] = []
    store_id: str
    #: The id of the service that may write to it.
    owner_id: str = ""
    #: The key of the service's authentication tags, in hexadecimal.
    signing_key: Secret = Secret()
    #: All bundles of the subject that the records know on it.
    recorded: list[CopyOrder] = []
    #: Bundles of this job and subject that the records know on it, oldest first.
    known: list[str] = []
    #: How many of them stay, and the zone in which days begin.
    keep: str = "7 newest"
    keep_zone: str = "UTC"
    #: Those that are known to be damaged.
    unsound: list[str] = []
    pinned: list[str] = []

    def spec(self) -> StoreSpec:
        """Return the connection spec."""
        from ..stores.access import TokenFile

        tokens = None
        if self.tokens:
            tokens = TokenFile(Path(self.tokens), bytes.fromhex(self.tokens_key))
        found = store_spec(
            self.name,
            self.settings,
            self.secrets,
            self.stall_timeout,
            self.read_back,
            tokens,
            self.append_only,
        )
        return replace(found, identities=tuple(self.identities))

    def recorded_copies(
        self, subject: Subject, on_trouble: Callable[[str], None]
    ) -> RecordedCopies:
        """Return the subject's copies on it, as the records know them."""
        return RecordedCopies(self.recorded, subject, self.key, on_trouble)

    @property
    def key(self) -> bytes:
        """Return the key of manifests."""
        return bytes.fromhex(self.signing_key)


class ServerOrder(OrderData, kw_only=True):
    """A database server of the host; ``settings`` are those of its engine, as JSON."""

    settings: str
    secrets: dict[str, Secret] = {}

    def spec(self, engine_settings: type[Settings]) -> ServerSpec:
        """Return the connection spec."""
        from ..databases.base import ServerSpec

        return ServerSpec(engine_settings.model_validate_json(self.settings), self.secrets)


class HostOrder(_OfKind, kw_only=True):
    """The connection to a host; ``settings`` are those of its kind, as JSON.

    ``servers`` are its database servers by engine.
    """

    name: str = ""
    #: The queue of the workers near it; empty for none.
    queue: str = ""
    settings: str = '{"kind": "local"}'
    secrets: dict[str, Secret] = {}
    servers: dict[str, ServerOrder] = {}

    def spec(self) -> HostSpec:
        """Return the connection spec."""
        return host_spec(self.name, self.settings, self.secrets)


class MailOrder(OrderData, kw_only=True):
    """The mail settings of the host.

    ``home`` has ``{domain}`` and ``{user}`` in it, ``dkim`` ``{domain}``. ``refresh`` are the
    commands to run when they were changed.
    """

    domains: list[str]
    #: Only these addresses, in lower case; none for all of the domains.
    mailboxes: list[str] = []
    alias_map: str = ""
    mailbox_map: str = ""
    transport_map: str = ""
    passwd_file: str = ""
    home: str = ""
    dkim: str = ""
    messages: bool = False
    refresh: list[str] = []


class NoteOrder(OrderData, kw_only=True):
    """A command whose output is kept, already filled in."""

    name: str
    command: str
    seconds: int


class CommandOrder(OrderData, kw_only=True):
    """A command around the task, already filled in."""

    when: Literal["before", "after_success", "after_failure", "always"]
    command: str
    seconds: int
    stops: bool = True


class SubjectOrder(OrderData, kw_only=True):
    """The subject of a bundle, and its files on the host."""

    kind: SubjectKind
    name: str
    host: str
    root: str
    #: The home of its account: links on the way to the root may not lead out of it.
    home: str = ""
    #: Document roots by site, so that a missing one is reported.
    site_roots: dict[str, str] = {}
    #: The account that it belongs to; empty for a host.
    account: str = ""

    def ref(self) -> Subject:
        """Return the subject."""
        return Subject(self.kind, self.name)


class PreviousOrder(OrderData, kw_only=True):
    """The previous bundle: its listing as the service keeps it, and the pieces that it needs."""

    name: str
    base: str
    listing: Artifact
    listing_sha256: str = ""
    #: The stat cache of its files, if available.
    states: Artifact | None = None
    pieces: list[PieceRecord]


class BackupOrder(OrderData, kw_only=True, tag_field="order", tag="backup"):
    """Make one bundle of one subject and bring it to the stores."""

    run: int
    job: str
    subject: SubjectOrder
    contents: list[str]
    databases: list[DatabaseRef] = []
    mail: MailOrder | None = None
    host: HostOrder = msgspec.field(default_factory=HostOrder)
    #: Patterns of settings on the host, and the user whose entries go with them.
    system: list[str] = []
    system_user: str = ""
    #: Every database of the host's servers, with all their users.
    all_databases: bool = False
    notes: list[NoteOrder] = []
    commands: list[CommandOrder] = []
    #: Flag files of hold pages, set while the bundle is taken.
    hold_flags: list[str] = []
    stores: list[StoreOrder]
    #: What its bundle is called instead of by its job.
    #: Names of recent bundles of the subject, on whichever store: a new one has another name.
    taken: list[str] = []
    label: str = ""
    #: When the service says it began; the worker's own clock where it says nothing.
    started: str = ""
    compression: str = "zstd"
    level: int | None = None
    piece_size: int
    threads: int = 2
    spool: Artifact
    spool_limit: int
    listing: Artifact
    #: Where to leave a copy of its manifest, if anywhere.
    manifest: Artifact | None = None
    #: Where to leave the stat cache for the next bundle, if anywhere.
    states: Artifact | None = None
    #: For an incremental bundle.
    previous: PreviousOrder | None = None
    #: Pieces that are known to be damaged on some store: what they hold is stored again.
    damaged: list[str] = []
    #: Why it is a full one, for the log.
    why_full: str = ""
    #: The listing of the previous bundle, to count what is new, changed and gone.
    before: Artifact | None = None
    #: Compare contents instead of trusting that an unchanged size and time mean unchanged contents.
    compare: bool = False
    #: The same where the host tells size and time alone.
    compare_by_sftp: bool = False
    #: Folders that never go into a bundle of their machine: the service's own, and stores.
    own_folders: list[Artifact] = []
    excluded: list[str] = []
    #: Public keys that its pieces and listing are sealed to.
    seal_to: list[str] = []
    rules: FileRules = FileRules()
    database_rules: DatabaseRules = DatabaseRules()
    #: What the service knows of databases that the host's user does not see, for the log.
    hidden: str = ""
    #: Changes and entries of the bundles before, and from which percentage of what is usual on
    #: nothing retires until the alert is acknowledged.
    usual_changes: list[tuple[int, int]] = []
    most_changes: int = 0
    expected_bytes: int = 0
    expected_packed: int = 0
    writer: str
    #: Whether the worker, once it is done, waits for another order of the same host and stores.
    more_may_follow: bool = False


class InPlaceOrder(OrderData, kw_only=True):
    """The options of a restore in place.

    ``side`` is the name of the side folder, ``plan`` where the plan is left. Paths that
    ``own_folders``, ``excluded`` or the job's ``rules`` exclude are never treated as extra.
    """

    side: str
    plan: Artifact
    #: The folder for what an undo of databases needs.
    kept: Artifact
    plan_only: bool = False
    conflicts: Conflicts = Conflicts.REPLACE
    remove_extra: bool = False
    compare_contents: bool = False
    own_folders: list[Artifact] = []
    excluded: list[str] = []
    rules: FileRules = FileRules()
    #: What the job excludes of databases: tables that it never wants are not extra.
    database_rules: DatabaseRules = DatabaseRules()
    #: Whether files come back; otherwise only databases do.
    with_files: bool = True


class DrillPage(OrderData, kw_only=True):
    """A copy next to a site, to request its page: the copy's address, where its web server is, the
    paths in the bundle, and new names of databases.
    """

    address: str
    web_address: str
    paths: list[str] = []
    databases: dict[str, str] = {}


class DrillOptions(OrderData, kw_only=True):
    """The options of a drill.

    ``prefix`` begins the names of its scratch databases; ``databases`` are the account's own, which
    are loaded. With ``only_clear`` nothing is restored: what a killed drill left is removed.
    ``page`` belongs to the relocation of the order.
    """

    prefix: str
    databases: list[str] = []
    page: DrillPage | None = None
    only_clear: bool = False


class LostAccountOrder(OrderData, kw_only=True):
    """The parts of a lost account in addition to its home and databases.

    ``user`` is its system user, created if it does not exist; ``system`` are the patterns of
    settings that may come back, ``refresh`` the commands to run afterwards, ``sites`` those that
    are asked for a page at ``web_address``, a name or address with a port.
    """

    user: str
    system: list[str] = []
    refresh: list[str] = []
    sites: list[str] = []
    web_address: str = "127.0.0.1:80"


class Relocation(OrderData):
    """A restore to another place: another folder, account or host, or a copy next to the original.

    ``source`` is the subject of the bundle. What is in ``from_folder`` of it goes to ``to_folder``,
    both relative to the folder of their subject. ``texts`` are exchanged in databases, links and
    the configuration files that the patterns ``files`` name; ``names`` only in these files. Users
    of databases get new names: by ``user_names``, by another prefix, or with ``user_suffix``.
    Databases that exist are exchanged only if ``own_databases`` has them; with ``beside``, nothing
    may exist.
    """

    source: Subject
    from_folder: str = ""
    to_folder: str = ""
    texts: dict[str, str] = {}
    names: dict[str, str] = {}
    files: list[str] = []
    user_names: dict[str, str] = {}
    user_prefix: tuple[str, str] = ("", "")
    user_suffix: str = ""
    own_databases: list[str] = []
    beside: bool = False

    def user(self, old: str) -> str:
        """Return the new name of a database's user."""
        before, after = self.user_prefix
        if old in self.user_names:
            return self.user_names[old]
        if before and old.startswith(before):
            old = after + old[len(before) :]
        return old + self.user_suffix


class RestoreOrder(OrderData, kw_only=True, tag_field="order", tag="restore"):
    """Bring a bundle, or part of it, back into an empty folder and named databases."""

    subject: SubjectOrder
    #: The bundle; ``store.recorded`` says what the records know of that copy.
    bundle: str
    store: StoreOrder
    contents: list[str] = []
    paths: list[str] = []
    target: str
    #: New name by the name of a database in the bundle.
    databases: dict[str, str] = {}
    #: Only these tables of a database, by its name; none for all.
    tables: dict[str, list[str]] = {}
    host: HostOrder = msgspec.field(default_factory=HostOrder)
    #: Keep the kind and whole path of chosen paths below the target.
    full_layout: bool = False
    #: Go on where an interrupted restore into the same folder was.
    resume: bool = False
    #: Restore set-user-id bits, devices and system attributes of any copy.
    special_modes: bool = False
    #: Users and groups there by those in the bundle, for names that do not exist there.
    owners: dict[str, str] = {}
    #: Mail domains to be merged into the host's own files.
    mail: MailOrder | None = None
    #: Put files back where they were, instead of into ``target``.
    in_place: InPlaceOrder | None = None
    #: Restore into a scratch place, compare, and remove everything again.
    drill: DrillOptions | None = None
    #: With ``in_place``: put it at another place, from which it can be removed again.
    relocation: Relocation | None = None
    #: The folder for the lines of mail files that are replaced.
    mail_kept: Artifact | None = None
    #: Commands around the exchange of a restore in place, and its hold pages.
    commands: list[CommandOrder] = []
    hold_flags: list[str] = []
    #: With ``in_place``: bring everything else of the account back too.
    lost_account: LostAccountOrder | None = None
    spool: Artifact

    @property
    def source(self) -> Subject:
        """Return the subject of the bundle."""
        return self.relocation.source if self.relocation else self.subject.ref()


class SideOrder(OrderData, kw_only=True):
    """The base of orders for the side folder of a restore in place."""

    host: HostOrder = msgspec.field(default_factory=HostOrder)
    subject: SubjectOrder
    #: The name of the side folder.
    side: str
    #: The folder with what an undo of databases needs.
    kept: Artifact
    spool: Artifact
    commands: list[CommandOrder] = []
    hold_flags: list[str] = []


class RecoverOrder(SideOrder, kw_only=True, tag_field="order", tag="recover"):
    """Finish a restore in place that was interrupted, or take it back."""


class UndoOrder(SideOrder, kw_only=True, tag_field="order", tag="undo"):
    """Put back what a restore in place has set aside."""

    #: Even if something changed since, which is then set aside too.
    force: bool = False


class DropOrder(SideOrder, kw_only=True, tag_field="order", tag="drop"):
    """Remove what a restore in place has set aside."""


class PreviewOrder(OrderData, kw_only=True, tag_field="order", tag="preview"):
    """Measure what of a subject's files would go into a bundle."""

    subject: SubjectOrder
    host: HostOrder = msgspec.field(default_factory=HostOrder)
    #: Folders that never go into a bundle of their machine: the service's own, and stores.
    own_folders: list[Artifact] = []
    excluded: list[str] = []
    rules: FileRules = FileRules()
    databases: list[DatabaseRef] = []
    contents: list[str] = msgspec.field(default_factory=lambda: ["files"])
    #: The listing of the last bundle, to tell what is new.
    listing: Artifact | None = None
    #: Packed bytes per byte of contents in the last bundle, 0 where there was none.
    ratio: float = 0.0
    spool: Artifact


class ReleaseOrder(OrderData, kw_only=True, tag_field="order", tag="release"):
    """Remove hold pages that a task left behind."""

    host: HostOrder = msgspec.field(default_factory=HostOrder)
    hold_flags: list[str]
    spool: Artifact


class MaintenanceOrder(OrderData, kw_only=True):
    """The base of orders for maintenance of one subject's copies on one store."""

    subject: SubjectOrder
    store: StoreOrder
    #: Those that are asked for; ``store.recorded`` are all.
    bundles: list[CopyOrder]
    spool: Artifact


class SeriesOrder(OrderData, kw_only=True):
    """The copies that one job made of a subject on a store, oldest first, with the job's keep rule
    there. With ``is_closed`` no further copies are made, and days count back from now.
    """

    known: list[str]
    keep: str
    zone: str
    pinned: list[str] = []
    unsound: list[str] = []
    #: Those that nobody can remove yet.
    locked: list[str] = []
    is_closed: bool = False


class RetireOrder(MaintenanceOrder, kw_only=True, tag_field="order", tag="retire"):
    """Retire the copies that no keep rule wants, and remove what interrupted runs left.

    Of the copies of the records in ``records_folder``, the newest ``records_kept`` stay.
    """

    series: list[SeriesOrder]
    records_folder: str
    records_kept: int


class VerifyOrder(MaintenanceOrder, kw_only=True, tag_field="order", tag="verify"):
    """Verify copies: quickly, or by reading every byte.

    ``suspects`` are files that were found damaged earlier; those that are intact now are reported.
    """

    deep: bool = False
    suspects: list[str] = []


class RepairOrder(MaintenanceOrder, kw_only=True, tag_field="order", tag="repair"):
    """Replace damaged files by intact ones from other stores."""

    files: list[str]
    sources: list[StoreOrder]
    #: The damaged pieces as the records know them: no store says what they should be.
    pieces: list[PieceRecord] = []


class TransferOrder(MaintenanceOrder, kw_only=True, tag_field="order", tag="transfer"):
    """Bring ``bundles`` to the store from the sources, the first that has one whole.

    With ``move`` they are removed from the sources once they are whole on the store.
    """

    sources: list[StoreOrder]
    move: bool = False
    #: With ``move``: the names of those that an earlier move brought, and did not remove any more.
    brought: list[str] = []


class ResealOrder(MaintenanceOrder, kw_only=True, tag_field="order", tag="reseal"):
    """Seal all bundles to just these public keys; with none, store them in the clear."""

    seal_to: list[str]
    listings: Artifact


class ImportOrder(OrderData, kw_only=True, tag_field="order", tag="import"):
    """Report all bundles on a store.

    Its newest copy of the records, in the folder ``records_folder``, is brought to ``records``.
    """

    store: StoreOrder
    spool: Artifact
    records: Artifact
    records_folder: str


class RepackOrder(MaintenanceOrder, kw_only=True, tag_field="order", tag="repack"):
    """Rewrite pieces without what no bundle needs any more.

    A piece is rewritten when more than ``over`` of what it holds, from 0 to 1, is unused.
    New listings are left in the folder ``listings``.
    """

    over: float = 0.2
    dry_run: bool = False
    piece_size: int
    threads: int = 2
    spool_limit: int
    listings: Artifact


Order = (
    BackupOrder
    | RestoreOrder
    | RecoverOrder
    | UndoOrder
    | DropOrder
    | PreviewOrder
    | ReleaseOrder
    | RetireOrder
    | VerifyOrder
    | RepairOrder
    | RepackOrder
    | TransferOrder
    | ImportOrder
    | ResealOrder
)


def kinds_of(order: Order) -> list[str]:
    """Return the kinds of host and stores that an order needs, as ``host:ssh`` and
    ``store:sftp``.
    """
    hosts = [order.host] if isinstance(order, _OnHost) else []
    stores: list[StoreOrder] = [*getattr(order, "stores", ()), *getattr(order, "sources", ())]
    if (store := getattr(order, "store", None)) is not None:
        stores.append(store)
    return sorted({*(f"host:{h.kind}" for h in hosts), *(f"store:{s.kind}" for s in stores)})


_OnHost = (
    BackupOrder | RestoreOrder | RecoverOrder | UndoOrder | DropOrder | PreviewOrder | ReleaseOrder
)
