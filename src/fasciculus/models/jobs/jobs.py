"""Jobs: the standing instructions."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import TYPE_CHECKING, Annotated, Literal

from pydantic import Field, ValidationInfo, model_validator

from ...core.contents import Contents
from ...core.errors import SettingError
from ...core.subject import SubjectKind
from ..keys import Recipient
from ..model import Model, RenamedFields
from ..texts import Name, Pattern, Selector, checked, is_answer, mail_address
from .keep import KeepText, OptionalKeepText
from .timetable import StartRules, TaskLimits, Timetable, Zone

if TYPE_CHECKING:
    from ...core.dump.filters import DatabaseRules
    from ...core.file_filters import FileRules

MIB = 1024 * 1024


def _file_name(value: str) -> str:
    value = value.strip()
    if "/" in value or value in (".", ".."):
        raise ValueError("Write the file's name alone, without a folder.")
    return value


class Rules(Model):
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
    ignore_file: Annotated[str, checked(_file_name)] = ""

    def as_core(self, more: Iterable[str] = ()) -> FileRules:
        """For the scan; ``more`` are the account's own excludes."""
        from ...core.file_filters import FileRules

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


class Databases(Model):
    """Rules for databases, tables and rows. Patterns have ``*`` and ``?``; those of tables are
    ``database.table``. Empty means all."""

    names: list[str] = []
    without: list[str] = []
    tables: list[str] = []
    without_tables: list[str] = []
    without_rows: list[str] = []
    structure_only: bool = False
    check_tables: bool = False

    def as_core(self) -> DatabaseRules:
        """Return the rules for the core."""
        from ...core.dump.filters import DatabaseRules

        return DatabaseRules(
            tuple(self.names),
            tuple(self.without),
            tuple(self.tables),
            tuple(self.without_tables),
            tuple(self.without_rows),
            self.structure_only,
            self.check_tables,
        )


class Note(Model):
    """A command whose output is kept in the bundle. ``{account}`` and ``{home}`` stand for the
    subject's.
    """

    name: Name
    command: str = Field(min_length=1, max_length=4000)
    seconds: int = Field(default=60, ge=1, le=3600)


class Command(Model):
    """A command on the host around a task. ``stops`` says that a failing ``before`` stops the
    task.
    """

    when: Literal["before", "after_success", "after_failure", "always"]
    command: str = Field(min_length=1, max_length=4000)
    seconds: int = Field(default=300, ge=1, le=86_400)
    stops: bool = True


class Thresholds(Model):
    """Thresholds of anomaly detection, in percent of the median of earlier bundles:
    smaller than ``smaller``, larger than ``larger``, or with more changes than ``changes``; 0 for
    never."""

    smaller: int = Field(default=50, ge=0, le=100)
    larger: int = Field(default=300, ge=0, le=100_000)
    changes: int = Field(default=1000, ge=0, le=1_000_000)


class JobInput(RenamedFields):
    """A job as it is sent and stored: what, where, when, keep, notify.

    Each of ``names`` is a name, a pattern of names such as “shop-*”, “host:NAME” for everything on
    a host, or “tag:NAME” for every account with that tag. ``piece_size`` is in bytes.
    ``max_copy_age`` is in hours: coverage reports a newest copy that is older; 0 derives it from
    the timetable. ``keep`` is a keep rule such as “7 newest, 8 weekly”; ``keep_on`` overrides it
    for some of the stores, ``keep_gone`` for deleted accounts.
    """

    former_names = {"promise": "max_copy_age", "dead_share": "max_unused_percent"}
    name: Name
    subjects: Literal["accounts", "sites", "hosts"] = "accounts"
    choice: Literal["all", "listed", "all_but"] = "all"
    names: list[Selector] = []
    contents: list[Contents] = [
        Contents.FILES,
        Contents.DATABASES,
        Contents.MAIL,
        Contents.SYSTEM,
    ]
    messages: bool = False
    rules: Rules = Rules()
    databases: Databases = Databases()
    notes: list[Note] = []
    commands: list[Command] = []
    hold_page: bool = False
    max_copy_age: int = Field(default=0, ge=0, le=24 * 366)
    mode: Literal["full", "incremental"] = "full"
    full_every: int = Field(default=30, ge=1, le=3650)
    max_unused_percent: int = Field(default=50, ge=5, le=100)
    compare_every: int = Field(default=0, ge=0, le=1000)
    stores: list[str]
    timetable: Timetable = "daily 02:15"
    zone: Zone = "UTC"
    starting: StartRules = StartRules()
    limits: TaskLimits = TaskLimits()
    keep: KeepText = "7 newest"
    keep_on: dict[str, KeepText] = {}
    keep_gone: OptionalKeepText = ""
    report_to: list[Annotated[str, checked(mail_address)]] = []
    #: “recovery” is on trouble and on the first good run after it; “daily”, “weekly”, “monthly”:
    #: a digest.
    report_when: Literal["always", "trouble", "recovery", "daily", "weekly", "monthly"] = "always"
    #: When the contact of each account is notified.
    report_contacts: Literal["never", "trouble", "recovery", "always"] = "never"
    attach_log: Literal["never", "trouble", "always"] = "trouble"
    #: Channels that reports go to as well.
    channels: list[str] = []
    watch: Thresholds = Thresholds()
    compression: Literal["zstd", "gzip", "none"] = "zstd"
    level: int | None = None
    piece_size: int = Field(default=256 * MIB, ge=MIB, le=1024 * 1024 * MIB)
    enabled: bool = True
    #: Bundles that are no larger go along with the report, as attachments; 0 for none. In bytes.
    attach_up_to: int = Field(default=0, ge=0, le=25 * MIB)
    #: Public keys that its bundles are sealed to, in addition to those of its stores.
    recipients: list[Recipient] = Field(default=[], max_length=20)

    @model_validator(mode="after")
    def _fits(self, info: ValidationInfo) -> JobInput:
        if is_answer(info):
            return self
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
        from ...core.bundle.codecs import codec

        try:
            codec(self.compression, self.level)
        except SettingError as error:
            raise ValueError(f"level: {error.sentence()}") from error
        self.contents = [k for k in Contents if k in self.contents]
        self.stores = list(dict.fromkeys(self.stores))
        if others := sorted(set(self.keep_on) - set(self.stores)):
            raise ValueError(f"keep_on: “{others[0]}” is not one of its stores.")
        return self

    @property
    def subject_kind(self) -> SubjectKind:
        """Return the kind of its subjects."""
        return SubjectKind(self.subjects[:-1])

    def keep_for(self, store: str) -> str:
        """Return the keep rule on one of its stores."""
        return self.keep_on.get(store, self.keep)


class Job(JobInput):
    """A job in a list, with its state."""

    summary: str = ""
    next_start: datetime | None = None
    #: Why its timetable starts nothing now, and until when; empty when it does.
    paused: str = ""
    paused_until: datetime | None = None
    covers: int = 0
    last_run: int | None = None
    last_outcome: str | None = None
    last_ended: datetime | None = None
    running: bool = False
