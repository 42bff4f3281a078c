"""Stores, and trying them."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from pydantic import Field

from .jobs.timetable import Timetable, Zone
from .keys import Recipient
from .kinds import KindSettings
from .maintenance import TransferDay
from .model import Model, RenamedFields
from .texts import AbsolutePath, Name, QueueName, checked


def _limit(value: str) -> str:
    from ..core.transfer_limits import parse_limit

    parse_limit(value)
    return value.strip()


class StoreFields(RenamedFields):
    """The common fields of input and output of a store."""

    former_names = {
        "floor": "reserve",
        "patience": "stall_timeout",
        "at_once": "max_concurrent",
    }
    name: Name
    settings: KindSettings
    #: Days between deep verifications of each copy, in the background; 0 for never.
    verify_days: int = Field(default=30, ge=0, le=3650)
    #: Such as “2 MiB/s 08:00-18:00”, in the time zone of the service's machine.
    limits: list[Annotated[str, checked(_limit)]] = Field(default=[], max_length=24)
    #: Seconds that a transfer may stand still.
    stall_timeout: int = Field(default=120, ge=10, le=3600)
    #: How many tasks use it at the same time; 0 for any number. A restore waits for no other.
    max_concurrent: int = Field(default=0, ge=0, le=64)
    #: Read back what was sent where the store cannot give its checksum.
    read_back: bool = True
    #: The queue of the workers near it; empty for the service's machine.
    queue: QueueName = ""
    #: Whether the service may not remove or replace anything there, since its credentials cannot.
    append_only: bool = False
    #: Bytes that stay free: no bundle is begun that would leave less.
    reserve: int = Field(default=0, ge=0)
    #: Per GB (1,000,000,000 bytes) held for a month, and per GB sent or read.
    price_kept: float = Field(default=0, ge=0, le=1_000_000)
    price_moved: float = Field(default=0, ge=0, le=1_000_000)
    currency: str = Field(default="", max_length=8)
    #: Public keys that all bundles for this store are sealed to.
    recipients: list[Recipient] = Field(default=[], max_length=20)
    #: A store whose bundles are copied here on a timetable; with ``copy_move`` they are removed
    #: from it afterwards.
    copy_from: str = ""
    copy_timetable: Timetable = "by hand"
    copy_zone: Zone = "UTC"
    copy_move: bool = False


class StoreInput(StoreFields):
    """A store to be saved. ``secrets`` that are left out stay as they were; an empty text removes
    one."""

    secrets: dict[str, str | None] = Field(default={}, repr=False)


class Store(StoreFields):
    """A store, with what the records know to be on it: copies, their bytes, damaged files."""

    where: str
    secrets_set: list[str] = []
    jobs: list[str] = []
    copies: int = 0
    bytes: int = 0
    damaged: int = 0
    #: Whose it is, where another service writes to it: this one only reads it then.
    owner: str = ""
    #: When all steps of trying it last went well; None for one that was saved untried.
    tried: datetime | None = None
    #: Free bytes when a task last asked, where the store tells.
    free: int | None = None
    free_at: datetime | None = None
    #: The day on which it will be full at the present rate, if known.
    full_on: date | None = None
    #: How many bundles jobs wanted on it that are on other stores alone.
    lag: int = 0
    #: What a month costs: keeping what it holds, and moving what the last 30 days moved.
    month_price: float = 0
    #: When the copy was read through that was read longest ago.
    oldest_read: datetime | None = None
    #: The damage that an attacker with stolen credentials could and could not do, in sentences.
    if_stolen: list[str] = []
    #: Whether the owner of a drive has given access; empty for other kinds.
    access: Literal["", "none", "given"] = ""


class StoreDay(Model):
    """A day of UTC: bytes sent and read, and held when they were last counted on it."""

    day: date
    sent: int
    received: int
    stored: int | None = None


class StoreShare(Model):
    """The share of one subject or job in a store: copies, and bytes of their pieces."""

    name: str
    copies: int
    bytes: int


class StoreSimulationDay(Model):
    """The upper limit of a store's usage at the end of a day."""

    day: date
    bytes: int


class StoreSimulation(Model):
    """The coming year of a store, if every run of its jobs succeeds and sizes do not change.

    ``bytes`` is what it holds now, ``room`` what it can hold, None where it does not tell;
    ``full_on`` is the first day on which that would not be enough."""

    name: str
    bytes: int
    room: int | None
    full_on: date | None
    jobs: list[str]
    days: list[StoreSimulationDay]


class StoreUsage(Model):
    """A store's usage, growth, cost, missing copies, and the day it will be full.

    ``per_day`` is the growth in bytes a day; ``full_on`` the day on which it will be full at that
    pace, and ``why`` what that rests on. Prices are of a month. ``lag`` counts the bundles that
    jobs wanted on it and that are on other stores alone; ``oldest_read`` is the copy that was read
    through longest ago."""

    name: str
    bytes: int
    copies: int
    free: int | None = None
    free_at: datetime | None = None
    reserve: int = 0
    per_day: int | None = None
    full_on: date | None = None
    why: str = ""
    price_kept: float = 0
    price_moved: float = 0
    currency: str = ""
    lag: int = 0
    oldest_read: datetime | None = None
    #: Bytes of what was removed or replaced and is kept all the same, by a bucket with versions;
    #: measured once a day, None before.
    old_versions: int | None = None
    days: list[StoreDay] = []
    transfers: list[TransferDay] = []
    subjects: list[StoreShare] = []
    jobs: list[StoreShare] = []
    advice: list[str] = []


class TryStep(Model):
    """One step of trying something. ``text`` says how it went, ``hint`` what to do."""

    name: str
    ok: bool
    text: str
    hint: str = ""
    seconds: float = 0.0
    #: The setting at fault, if any.
    field: str = ""


class TryResult(Model):
    """The result of a test. ``host_key`` is the fingerprint that the server presented."""

    ok: bool
    steps: list[TryStep]
    host_key: str = ""


class StoreAccess(Model):
    """The state of access to a drive. While that is ``waiting``, the owner opens
    ``address`` and confirms ``code``; ``text`` says what happened.
    """

    state: Literal["none", "waiting", "given", "refused"]
    text: str = ""
    address: str = ""
    code: str = ""
    interval: int = 5


class StoreProposal(Model):
    """A host, account, store or job that a store proposes; it has no effect until it is accepted.

    ``root`` is an account's home as the bundle has it, and ``vouched`` whether this service made
    the bundle. ``document`` is all that it tells.
    """

    kind: Literal["host", "account", "store", "job"]
    name: str
    host: str = ""
    root: str = ""
    vouched: bool
    document: dict[str, Any] = {}
    #: Whether a copy of the records has its settings.
    with_settings: bool = False


class ProposalChoice(Model):
    """The proposals to accept or dismiss: by name, or all of them.

    ``homes`` gives accounts another home than the one that is proposed.
    """

    hosts: list[str] = []
    accounts: list[str] = []
    stores: list[str] = []
    jobs: list[str] = []
    all: bool = False
    homes: dict[str, AbsolutePath] = {}


class AcceptedProposals(Model):
    """The added things in words, those not added with the reason, and what has to be set because no
    bundle knows it.
    """

    added: list[str]
    refused: list[str] = []
    needed: list[str] = []
