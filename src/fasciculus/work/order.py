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
    """Where the host keeps mail settings; ``home`` has ``{domain}`` and ``{user}`` in it."""

    domains: list[str]
    alias_map: str = ""
    passwd_file: str = ""
    home: str = ""
    messages: bool = False


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

    kind: Literal["account", "site"]
    name: str
    host: str
    root: str
    #: Document roots by site, so that one that is gone is said.
    site_roots: dict[str, str] = {}

    def ref(self) -> SubjectRef:
        return SubjectRef(self.kind, self.name)


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
    stores: list[StoreOrder]
    keep: int
    compression: str = "zstd"
    level: int | None = None
    piece_size: int
    threads: int = 2
    spool: str
    spool_limit: int
    listing: str
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
    spool: str


class Envelope(BaseModel):
    """Any order, told apart by its ``order`` field."""

    body: BundleOrder | RestoreOrder = Field(discriminator="order")
