"""Restores, their plans, and what they set aside."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from pydantic import Field

from ...core.restore.actions import Action, Conflicts
from ...core.restore.restore_kind import RestoreKind, SetAside
from ...core.subject import SubjectKind
from ..jobs.jobs import Command
from ..jobs.timetable import Timetable, Zone
from ..model import Model, RenamedFields
from ..texts import OptionalPath, checked, host_name_pattern, mail_address, web_place
from .relocations import Relocation


class InPlace(Model):
    """The options of a restore in place.

    ``conflicts`` selects the treatment of files that differ from the bundle's; with
    ``remove_extra`` files that are not in the bundle are set aside too. ``compare_contents`` reads
    every file, instead of comparing sizes and times.
    """

    conflicts: Conflicts = Conflicts.REPLACE
    remove_extra: bool = False
    compare_contents: bool = False


class RestorePlan(Model):
    """The sums of a plan: entries by what happens to them, and bytes.

    ``seconds`` is how long it will take at the rate of earlier restores, None before there are any.
    """

    created: int = 0
    replaced: int = 0
    removed: int = 0
    attributes: int = 0
    kept: int = 0
    unchanged: int = 0
    write_bytes: int = 0
    aside_bytes: int = 0
    free_bytes: int | None = None
    #: What cannot be promised where it goes.
    notes: list[str] = []
    seconds: float | None = None


class RestorePlanLine(Model):
    """One path of a plan: what happens to it, its size in the bundle, its size now, and why."""

    action: Action
    path: str
    type: str
    bytes: int = 0
    before: int = 0
    why: str = ""


class DrillFigures(Model):
    """The counts of a drill: files compared by digest and their bytes, and databases that were
    loaded into scratch ones, with their tables and rows.
    """

    files: int = 0
    bytes: int = 0
    databases: int = 0
    tables: int = 0
    rows: int = 0
    #: The status of the copy's page (RFC 9110), 0 if none was requested.
    page: int = 0


class DrillPage(Model):
    """A copy that a drill makes next to a site, to request its page: the address of the copy, and
    where the web server is, by default port 80 of the host. ``{account}`` stands for the account.
    """

    address: Annotated[str, checked(host_name_pattern)] = ""
    web_address: Annotated[str, checked(web_place)] = ""


class DrillStart(Model):
    """A drill of an account or site: of its newest bundle with the most kinds of contents, or of
    ``bundle``; ``store`` is the copy to read, the first one when left out. Without a subject, the
    one with the oldest last drill. With ``page``, a copy of ``site`` answers a request too.
    """

    subject: str = ""
    bundle: int | None = None
    store: str = ""
    page: DrillPage | None = None
    site: str = ""


class DrillSettings(Model):
    """The timetable of drills, and the accounts and sites that take part: all, or those named. Each
    drill is of the one with the oldest last drill.
    """

    timetable: Timetable = "by hand"
    zone: Zone = "UTC"
    subjects: list[str] = Field(default=[], max_length=1000, description="empty for all")
    page: DrillPage | None = Field(
        default=None, description="of accounts with one site on hosts here or over SSH"
    )


class RestoreUndo(Model):
    """Put back what a restore has set aside; with ``force`` even if something changed since, which
    is then set aside.
    """

    force: bool = False


class RestoreStart(RenamedFields):
    """``databases`` has the new name by the name of a MariaDB database in the bundle;
    ``store`` the copy to read, the first one when left out. ``mail_domains`` are merged into the
    host's own files. Without a ``target`` or ``in_place`` nothing but these comes back. With
    ``plan_only``, a restore in place only says what it would change."""

    former_names = {"privileges": "special_modes"}
    bundle: int
    target: OptionalPath = ""
    store: str = ""
    contents: list[str] = []
    paths: list[str] = []
    databases: dict[str, str] = Field(default={})
    tables: dict[str, list[str]] = Field(
        default={}, description="only these tables of a database, by its name in the bundle"
    )
    mail_domains: list[str] = []
    mailboxes: list[Annotated[str, checked(mail_address)]] = Field(
        default=[], description="only these addresses of the mail domains"
    )
    full_layout: bool = Field(
        default=False,
        description="keep the kind and whole path of chosen paths below the target folder",
    )
    in_place: InPlace | None = None
    relocation: Relocation | None = Field(
        default=None, description="with in_place: another place than where it was"
    )
    plan_only: bool = False
    commands: list[Command] = Field(
        default=[],
        max_length=20,
        description="with in_place: commands on the host around the exchange, and around an undo",
    )
    hold_page: bool = Field(
        default=False, description="with in_place: set the sites' hold page during the exchange"
    )
    bundle_first: bool = Field(
        default=False,
        description="with in_place: make a bundle of the present state first, by the job of the "
        "bundle; if it fails, nothing is restored",
    )
    whole_account: bool = Field(
        default=False,
        description="with in_place, for a lost account: create its user, bring mail and missing "
        "system settings back too, and ask each of its sites for a page",
    )
    web_address: Annotated[str, checked(web_place)] = Field(
        default="",
        description="with whole_account: where the web server answers, such as 192.0.2.7:80; the "
        "host's address by default",
    )
    resume: bool = Field(
        default=False, description="continue an interrupted restore into that folder"
    )
    special_modes: bool = Field(
        default=False,
        description="restore set-user-id and set-group-id bits, devices and system attributes "
        "even if the records do not vouch for the copy",
    )
    owners: dict[str, str] = Field(
        default={},
        description="names of users and groups there, by those recorded in the bundle, for owners "
        "that do not exist there",
    )
    identity: str = Field(
        default="",
        max_length=20_000,
        repr=False,
        description="a private key for this restore alone, or a file of several, where the bundle "
        "is sealed and the service keeps none",
    )


class Restore(Model):
    """A restore: from which bundle, to where, and how it ended.

    ``kind`` is plan for one that only planned, drill for one into a scratch place, undo or drop for
    what was done with the files that restore ``of_restore`` has set aside. ``aside`` says what
    became of these: kept, undone or gone. It waits for ``after_run``, if that is not 0.
    """

    id: int
    kind: RestoreKind = RestoreKind.RESTORE
    of_restore: int | None = None
    in_place: InPlace | None = None
    relocation: Relocation | None = None
    commands: list[Command] = []
    hold_page: bool = False
    bundle_first: bool = False
    after_run: int = 0
    plan: RestorePlan | None = None
    drill: DrillFigures | None = None
    aside: SetAside = SetAside.NONE
    aside_until: datetime | None = None
    bundle_id: int | None
    bundle: str
    subject_kind: SubjectKind
    subject: str
    store: str
    target: str
    contents: list[str]
    paths: list[str]
    databases: dict[str, str]
    tables: dict[str, list[str]] = {}
    full_layout: bool = False
    whole_account: bool = False
    web_address: str = ""
    mail_domains: list[str] = []
    mailboxes: list[str] = []
    resume: bool = False
    special_modes: bool = False
    owners: dict[str, str] = {}
    state: str
    outcome: str | None
    error: str
    entries: int
    bytes: int
    total: int = 0
    stage: str = ""
    started_by: str
    created: datetime
    started: datetime | None
    ended: datetime | None
