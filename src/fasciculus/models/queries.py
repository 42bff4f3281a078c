"""The query parameters of the API's operations."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from .jobs.keep import OptionalKeepText
from .model import Model

Words = Field(default="", max_length=500, description="only what holds these words")
BundledKind = Literal["", "account", "site", "host"]
ContentsFilter = Literal["", "files", "databases", "mail", "system", "notes"]
LARGEST_ID = 2**63 - 1


class PageQuery(Model):
    """A list is read page by page."""

    limit: int = Field(default=50, ge=1, le=500, description="at most so many items")
    cursor: str | None = Field(default=None, description="“next” of the page before")
    sort: str = Field(
        default="", description="a column's name, with “-” before it for backwards", max_length=100
    )


class WordsQuery(PageQuery):
    """A page of a list, filtered by words."""

    q: str = Words


class JobsQuery(Model):
    """Filter and order of the list of jobs."""

    q: str = Words
    sort: Literal["name", "-name", "next", "-next"] = Field(
        default="name", description="“next” is the next start"
    )


class AccountsQuery(WordsQuery):
    """Filters of the list of accounts."""

    host: str = Field(default="", description="only of this host")
    tag: str = Field(default="", description="only with this tag")


class AccountRemovalQuery(Model):
    """Choice to remove the bundles of an account together with it."""

    bundles: Literal["", "remove"] = Field(
        default="",
        description="“remove” removes all copies of its and its sites' bundles first, except "
        "pinned ones",
    )


class SavedQuery(Model):
    """The saved store or host that lends its secrets to a draft."""

    saved: str = Field(default="", description="the saved one, whose secrets are used")


class TransfersQuery(PageQuery):
    """Filter of the transfers of a store by day."""

    day: str = Field(
        default="", max_length=10, description="only of this day of UTC, such as 2026-11-24"
    )


class UntriedQuery(Model):
    """Choice to save a store without trying it."""

    untried: bool = Field(
        default=False, description="save it without trying; no job writes to it until it was tried"
    )


class LastEventQuery(Model):
    """The last event received, to resume live events after it."""

    last_id: str = Field(default="", max_length=100, description="resume after this event id")


class CoverageQuery(WordsQuery):
    """Filters of the coverage."""

    state: Literal["", "protected", "late", "never", "bare", "trouble"] = Field(
        default="", description="only this state; “trouble” for all but protected"
    )
    host: str = Field(default="", description="only of this host")
    account: str = Field(default="", description="only of this account")


class RetiringQuery(Model):
    """A keep rule to try in place of the saved one."""

    keep: OptionalKeepText = Field(default="", description="as if this were the keep rule")


class RunsQuery(PageQuery):
    """Filters of the list of runs."""

    job: str = Field(default="", description="only of this job")
    outcome: Literal[
        "",
        "done",
        "warned",
        "partial",
        "failed",
        "cancelled",
        "interrupted",
        "skipped",
        "trouble",
    ] = Field(default="", description="only this outcome; “trouble” for all but done")
    state: Literal["", "queued", "running", "ended"] = ""
    subject: str = Field(default="", description="only with a task of this subject")


class LogQuery(PageQuery):
    """Filters of a log."""

    level: Literal["", "info", "warning", "error", "trouble"] = Field(
        default="", description="only this level; “trouble” for warnings and errors"
    )
    q: str = Words


class BundlesQuery(WordsQuery):
    """Filters of the list of bundles."""

    subject: str = Field(default="", description="only of this subject")
    kind: BundledKind = Field(default="", description="only of this kind of subject")
    job: str = Field(default="", description="only of this job")
    store: str = Field(default="", description="only with a copy here")
    until: datetime | None = Field(default=None, description="only of this time or before it")
    contents: ContentsFilter = Field(default="", description="only with this kind of contents")


class FolderQuery(Model):
    """A folder in a bundle."""

    contents: ContentsFilter = Field(default="", description="which kind of contents")
    folder: str = Field(default="", description="path of the folder")


class VersionsQuery(Model):
    """A search for files over many bundles."""

    q: str = Field(default="", max_length=500, description="parts of the path, as written there")
    subject: str = Field(default="", description="only of this subject")
    kind: BundledKind = Field(default="", description="only of this kind of subject")
    contents: ContentsFilter = Field(default="", description="this kind; files by default")


class EntrySearchQuery(Model):
    """A search for entries of a bundle."""

    q: str = Field(default="", max_length=500, description="words in the path")
    contents: ContentsFilter = Field(default="", description="only this kind of contents")


class DownloadQuery(Model):
    """A download of a bundle: its part, archive format and store."""

    form: Literal["tar.gz", "tar.zst", "zip", "sql"] = Field(
        default="tar.gz", description="sql: one database, or some of its tables, as one file"
    )
    database: str = Field(default="", description="with sql: this database")
    table: list[str] = Field(default=[], description="with sql: only this table; may be repeated")
    contents: ContentsFilter = Field(default="", description="only this kind of contents")
    path: list[str] = Field(default=[], description="only at or below this path; may be repeated")
    store: str = Field(default="", description="the copy to read")


class ChangesQuery(WordsQuery):
    """The bundle to compare with, and filters of the changes."""

    against: int | None = Field(
        default=None,
        ge=1,
        le=LARGEST_ID,
        description="another bundle of the subject; the previous one when left out",
    )
    state: Literal["", "new", "changed", "gone"] = Field(default="", description="only this state")
    contents: ContentsFilter = Field(default="", description="only this kind of contents")


class AgainstQuery(Model):
    """The bundle to compare with."""

    against: int | None = Field(
        default=None,
        ge=1,
        le=LARGEST_ID,
        description="another bundle of the subject; the previous one when left out",
    )


class DifferenceQuery(AgainstQuery):
    """A file in two bundles."""

    file: str = Field(min_length=1, max_length=8192, description="its path, as in the listing")
    contents: ContentsFilter = Field(default="", description="its kind; files by default")


class PlanQuery(Model):
    """A page of the lines of a plan."""

    limit: int = Field(default=500, ge=1, le=5000, description="at most so many lines")
    cursor: str | None = Field(default=None, description="“next” of the page before")
    action: Literal["", "create", "replace", "remove", "attributes", "keep"] = Field(
        default="", description="only lines of this action"
    )


class RestoresQuery(PageQuery):
    """Filter of the list of restores."""

    subject: str = Field(default="", description="only of this subject")


class DrillsQuery(PageQuery):
    """Filter of the list of drills."""

    subject: str = Field(default="", description="only of this subject")


class ReportsQuery(WordsQuery):
    """Filters of the list of reports."""

    job: str = Field(default="", description="only of this job")


def _present_kind(value: Any) -> Any:
    """Return a kind of maintenance by its present name; “mend” was that of the version before."""
    return "repair" if value == "mend" else value


class MaintenanceQuery(PageQuery):
    """Filters of the list of maintenance tasks."""

    kind: Annotated[
        Literal["", "verify", "repair", "repack", "transfer", "import", "reseal", "retire"],
        BeforeValidator(_present_kind),
    ] = ""
    store: str = Field(default="", description="only on this store")
    subject: str = Field(default="", description="only of this subject")
    state: Literal["", "queued", "running", "ended"] = ""


class DamageQuery(PageQuery):
    """Filters of the list of damaged files."""

    store: str = Field(default="", description="only on this store")
    subject: str = Field(default="", description="only of this subject")
    kind: BundledKind = Field(default="", description="only of this kind of subject")


class GrowthQuery(Model):
    """The subject to show the growth of."""

    subject: str = Field(min_length=1, description="the account, site or host")
    kind: BundledKind = Field(default="", description="which of them, where the name is shared")


class MailTryQuery(Model):
    """The recipient of the trial message."""

    to: str = Field(pattern=r"^\S+@\S+$", max_length=320, description="who gets it")


class SearchQuery(Model):
    """A search by a part of a name."""

    q: str = Field(min_length=1, max_length=200, description="a part of the name")


class CalendarQuery(Model):
    """The number of days that the calendar shows."""

    days: int = Field(default=14, ge=1, le=60, description="how many days from now on")


class SettingChangesQuery(PageQuery):
    """Filters of the list of changed settings."""

    kind: Literal["", "job"] = Field(default="", description="only of this kind of thing")
    name: str = Field(default="", description="only of the thing of this name")


class AlertsQuery(PageQuery):
    """Filters of the list of alerts."""

    state: Literal["", "open", "closed"] = Field(default="", description="only these")
    job: str = Field(default="", description="only of this job")
