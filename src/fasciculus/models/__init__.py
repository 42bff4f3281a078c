"""The shapes of the API, shared by service and client so that they cannot drift."""

from .bundles import (
    Bundle,
    BundleDetail,
    BundleEntry,
    BundleFiles,
    BundleFound,
    Copy,
    Restore,
    RestoreStart,
)
from .covering import (
    Applied,
    Change,
    CoverageRow,
    Definitions,
    Preview,
    PreviewStart,
    Proposed,
    Taken,
    TakeOver,
)
from .doors import Identity, Password, SignIn, Token, TokenMade, TokenNew
from .inventory import (
    Account,
    Database,
    Finding,
    Host,
    HostSecrets,
    MailFiles,
    MariaDbServer,
    Site,
    SiteRow,
)
from .jobs import Command, Databases, Job, JobRow, JobStart, Note, Readback, Retiring, Rules
from .paging import Page
from .problem import Problem
from .reports import MailServer, OutboxItem, Report, ReportDetail
from .runs import LogLine, Overview, Run, RunDetail, Started, StoreFill, Task, TaskCopy, Upcoming
from .search import Found
from .stores import Store, StoreSecrets, Tried, TryStep
from .upkeep import (
    BundleChange,
    DamageRow,
    Growth,
    GrowthPoint,
    GrowthStore,
    MendStart,
    RepackStart,
    Upkeep,
    UpkeepStarted,
    VerifyStart,
)

__all__ = [
    "Account", "Applied", "Bundle", "BundleChange", "BundleDetail", "BundleEntry", "BundleFiles", "BundleFound",
    "Change", "Command", "Copy", "CoverageRow", "DamageRow", "Database", "Databases", "Definitions", "Finding",
    "Found", "Growth", "GrowthPoint", "GrowthStore", "Host", "HostSecrets", "Identity", "Job", "JobRow",
    "JobStart", "LogLine", "MailFiles", "MailServer", "MariaDbServer", "MendStart", "Note", "OutboxItem",
    "Overview", "Page", "Password", "Preview", "PreviewStart", "Problem", "Proposed", "Readback", "RepackStart",
    "Report", "ReportDetail", "Restore", "RestoreStart", "Retiring", "Rules", "Run", "RunDetail", "SignIn",
    "Site", "SiteRow", "Started", "Store", "StoreFill", "StoreSecrets", "TakeOver", "Taken", "Task", "TaskCopy",
    "Token", "TokenMade", "TokenNew", "Tried", "TryStep", "Upcoming", "Upkeep", "UpkeepStarted", "VerifyStart",
]
