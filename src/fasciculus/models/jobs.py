"""Jobs: the standing instructions."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, BaseModel, Field, model_validator

from ..core.bundle.codecs import codec
from ..core.dump.filters import DatabaseRules
from ..core.errors import SettingError
from ..core.file_filters import FileRules
from .inventory import Name, Pattern
from .keys import Recipient
from .timetable import Timetable, Zone

KINDS: tuple[Literal["files", "databases", "mail", "system", "notes"], ...] = (
    "files",
    "databases",
    "mail",
    "system",
    "notes",
)

MIB = 1024 * 1024


def _file_name(value: str) -> str:
    value = value.strip()
    if "/" in value or value in (".", ".."):
        raise ValueError("Write the file's name alone, without a folder.")
    return value


def _address(value: str) -> str:
    value = value.strip()
    local, at, domain = value.rpartition("@")
    if not (at and local and domain) or any(c.isspace() or c in ',;<>"' for c in value):
        raise ValueError(f"“{value}” is not an e-mail address.")
    return value


class Rules(BaseModel):
    """Includes and excludes of files. Patterns are those of .gitignore; ``larger_than`` is in
    bytes, ``older_than`` in days, 0 for no limit; ``ignore_file`` names a file of further excludes
    in a folder."""

    includes: list[Pattern] = []
    excludes: list[Pattern] = []
    sets: list[Literal["caches", "logs", "thumbnails", "dependencies"]] = []
    larger_than: int = Field(default=0, ge=0)
    older_than: int = Field(default=0, ge=0, le=36_500)
    one_file_system: bool = False
    skip_tagged_caches: bool = False
    ignore_file: Annotated[str, AfterValidator(_file_name)] = ""

    def as_core(self, more: Iterable[str] = ()) -> FileRules:
        """For the scan; ``more`` are the account's own excludes."""
        return FileRules(
            tuple(self.includes),
            (*self.excludes, *more),
            tuple(self.sets),
            self.larger_than,
            self.older_than,
            self.one_file_system,
            self.skip_tagged_caches,
            self.ignore_file,
        )


class Databases(BaseModel):
    """Which databases, tables and rows. Patterns have ``*`` and ``?``; those of tables are
    ``database.table``. Empty means all."""

    names: list[str] = []
    without: list[str] = []
    tables: list[str] = []
    without_tables: list[str] = []
    without_rows: list[str] = []
    structure_only: bool = False
    check_tables: bool = False

    def as_core(self) -> DatabaseRules:
        return DatabaseRules(
            tuple(self.names),
            tuple(self.without),
            tuple(self.tables),
            tuple(self.without_tables),
            tuple(self.without_rows),
            self.structure_only,
            self.check_tables,
        )


class Note(BaseModel):
    """A command whose output is kept in the bundle. ``{account}`` and ``{home}`` stand for the
    subject's.
    """

    name: Name
    command: str = Field(min_length=1, max_length=4000)
    seconds: int = Field(default=60, ge=1, le=3600)


class Command(BaseModel):
    """A command on the host around a task. ``stops`` says that a failing ``before`` stops the
    task.
    """

    when: Literal["before", "after_success", "after_failure", "always"]
    command: str = Field(min_length=1, max_length=4000)
    seconds: int = Field(default=300, ge=1, le=86_400)
    stops: bool = True


class JobInput(BaseModel):
    """A job as it is sent and kept: what, where, when, keep, tell. ``piece_size`` is in bytes,
    ``promise`` in hours: how old the newest copy may be before coverage says so; 0 takes it from
    the timetable."""

    name: Name
    subjects: Literal["accounts", "sites", "hosts"] = "accounts"
    choice: Literal["all", "listed", "all_but"] = "all"
    names: list[str] = []
    contents: list[Literal["files", "databases", "mail", "system", "notes"]] = [
        "files",
        "databases",
        "mail",
    ]
    messages: bool = False
    rules: Rules = Rules()
    databases: Databases = Databases()
    notes: list[Note] = []
    commands: list[Command] = []
    hold_page: bool = False
    promise: int = Field(default=0, ge=0, le=24 * 366)
    mode: Literal["full", "incremental"] = "full"
    full_every: int = Field(default=30, ge=1, le=3650)
    dead_share: int = Field(default=50, ge=5, le=100)
    compare_every: int = Field(default=0, ge=0, le=1000)
    stores: list[str]
    timetable: Timetable = "daily 02:15"
    zone: Zone = "UTC"
    keep: int = Field(default=7, ge=1, le=10_000)
    report_to: list[Annotated[str, AfterValidator(_address)]] = []
    report_when: Literal["always", "trouble"] = "always"
    compression: Literal["zstd", "gzip", "none"] = "zstd"
    level: int | None = None
    piece_size: int = Field(default=256 * MIB, ge=MIB, le=1024 * 1024 * MIB)
    enabled: bool = True
    #: Bundles that are no larger go along with the report, as attachments; 0 for none. In bytes.
    attach_up_to: int = Field(default=0, ge=0, le=25 * MIB)
    #: Public keys that its bundles are sealed to, beside those of its stores.
    recipients: list[Recipient] = Field(default=[], max_length=20)

    @model_validator(mode="after")
    def _fits(self) -> JobInput:
        if not self.stores:
            raise ValueError("stores: choose at least one store.")
        if not self.contents:
            raise ValueError(
                "contents: choose at least one of files, databases, mail, system and notes."
            )
        if self.subjects == "hosts" and set(self.contents) & {"files", "mail"}:
            raise ValueError("contents: of a host itself there are system, databases and notes.")
        if "notes" in self.contents and not self.notes:
            raise ValueError(
                "notes: give at least one command, or leave notes out of the contents."
            )
        if len({note.name for note in self.notes}) < len(self.notes):
            raise ValueError("notes: two commands have the same name.")
        if self.choice != "all" and not self.names:
            raise ValueError("names: name at least one, or choose all.")
        try:
            codec(self.compression, self.level)
        except SettingError as error:
            raise ValueError(f"level: {error.sentence()}") from error
        self.contents = [k for k in KINDS if k in self.contents]
        self.stores = list(dict.fromkeys(self.stores))
        return self


class JobDefaults(JobInput):
    """What a new job starts from, before anybody has filled it in."""

    @model_validator(mode="after")
    def _fits(self) -> JobDefaults:
        return self


class JobStart(BaseModel):
    """What to do otherwise this once: a full bundle, or a comparison of contents."""

    full: bool = False
    compare: bool = False


class Retiring(BaseModel):
    """A copy that the keep rule would not keep, and the bytes that its going would free on its
    store, together with those listed before it of the same subject."""

    subject_kind: str
    subject: str
    store: str
    bundle: str
    moment: datetime
    frees: int


class Job(JobInput):
    """A job as it is listed, with what the service knows of it."""

    summary: str = ""
    next_start: datetime | None = None
    covers: int = 0
    last_run: int | None = None
    last_outcome: str | None = None
    last_ended: datetime | None = None
    running: bool = False


class SpaceNeed(BaseModel):
    """What a run needs at most in one place, and what is free there; None where it does not tell.
    ``why`` says whence the estimate is."""

    place: str
    needed: int
    free: int | None
    why: str


class JobSummary(BaseModel):
    """What a job would do, said before it is saved."""

    sentence: str
    starts: list[datetime]
    covers: list[str]
    #: Bytes of the newest bundles of what it covers, and how many have none yet.
    bytes: int
    packed: int
    unmeasured: int
    advice: list[str]
    #: What the next run needs at most, against what is free.
    space: list[SpaceNeed] = []
