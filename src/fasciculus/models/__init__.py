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
from .doors import Identity, Password, SignIn, Token, TokenMade, TokenNew
from .inventory import Account, Database, Host, HostSecrets, MariaDbServer, Site, SiteRow
from .jobs import Job, JobRow, Readback
from .paging import Page
from .problem import Problem
from .reports import MailServer, OutboxItem, Report, ReportDetail
from .runs import LogLine, Overview, Run, RunDetail, Started, StoreFill, Task, TaskCopy, Upcoming
from .search import Found
from .stores import Store, StoreSecrets, Tried, TryStep

__all__ = [
    "Account", "Bundle", "BundleDetail", "BundleEntry", "BundleFiles", "BundleFound", "Copy",
    "Database", "Found", "Host", "HostSecrets", "Identity", "Job", "JobRow", "LogLine",
    "MailServer", "MariaDbServer", "OutboxItem", "Overview", "Page", "Password", "Problem",
    "Readback", "Report", "ReportDetail", "Restore", "RestoreStart", "Run", "RunDetail",
    "SignIn", "Site", "SiteRow", "Started", "Store", "StoreFill", "StoreSecrets", "Task",
    "TaskCopy", "Token", "TokenMade", "TokenNew", "Tried", "TryStep", "Upcoming",
]
