"""The shapes of the API, shared by service and client so that they cannot drift.

Input and output are separate models: ``JobInput`` and ``Job``. A module is imported when
one of its names is first used, so that a command waits for no shape it does not need.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

_NAMES = {
    "auth": "Identity Password SignIn Token TokenMade TokenNew",
    "bundles.bundles": "Bundle BundleDetail BundleEntry BundleFiles ContentsInfo Copy DatabaseInfo "
    "DatabaseTables DownloadLink CopyFiles DownloadLinkMade DownloadLinkStart DownloadReport "
    "EntrySearch FileDifference FileVersion InstructionStep Instructions PieceInfo Pin TableChange "
    "VersionedFile VersionsFound",
    "bundles.entry_changes": "Changes",
    "inventory.discovery": "Applied Change CoverageRow Definitions ExcludedSize Folder Preview "
    "PreviewStart Proposed SizeCount Acceptance Accepted Unmatched",
    "inventory.inventory": "Account AccountInput Database DiscoveryRules Host HostFields HostInput "
    "HostProposal MailFiles RuleProposal Site SiteRow",
    "calendar": "Calendar CalendarCollision CalendarFeed CalendarStart StartAddress "
    "StartAddressInput StartAddressMade StartedFromOutside",
    "changes": "SettingChange",
    "jobs.job_plans": "JobCopy JobDefaults JobSimulation JobSummary Retiring SimulationDay "
    "SimulationQuery SpaceNeed",
    "jobs.job_start": "JobStart",
    "jobs.jobs": "Command Databases Job JobInput Note Rules Thresholds",
    "keys": "KeyKeep KeyMade KeyMake SealKey",
    "kinds": "KindField KindInfo KindSettings Kinds",
    "maintenance": "BundleChange DamageRow Growth GrowthPoint GrowthStore MaintenanceStarted "
    "MaintenanceTask RepairStart RepackStart RetireStart SealStart Transfer TransferDay "
    "TransferStart VerifyStart",
    "paging": "Page",
    "problem": "FieldProblem Health Problem ProblemType",
    "reports": "Channel ChannelAnswer ChannelInput MailServer OutboxItem Report ReportDetail "
    "ReportPreview Template TemplateText WebhookMessage WebhookStore WebhookTask",
    "bundles.relocations": "Relocation RelocationAsk RelocationProposal",
    "bundles.recoveries": "Recovery RecoveryStart RecoverySubject",
    "bundles.restores": "DrillFigures DrillPage DrillSettings DrillStart InPlace Restore "
    "RestorePlan RestorePlanLine RestoreStart RestoreUndo",
    "runs": "Attention LogLine Night Overview Run RunDetail Started StoreFill SubjectNights Task "
    "TaskCopy Upcoming",
    "search": "SearchHit",
    "jobs.timetable": "Pause PauseInput StartRules TaskLimits",
    "watch": "Acknowledgement Alert WatchSettings",
    "stores": "AcceptedProposals ProposalChoice Store StoreAccess StoreDay StoreInput "
    "StoreProposal StoreShare StoreUsage StoreSimulation StoreSimulationDay "
    "TryResult TryStep",
    "workers": "FleetWorker WorkerCode WorkerCodeStart WorkerDrain WorkerTask",
    "uploads": "Upload UploadPart UploadReceived UploadStart",
}
_MODULES = {name: module for module, names in _NAMES.items() for name in names.split()}

__all__ = sorted(_MODULES)

if TYPE_CHECKING:
    from .auth import *  # noqa: F403
    from .bundles.bundles import *  # noqa: F403
    from .bundles.entry_changes import *  # noqa: F403
    from .bundles.recoveries import *  # noqa: F403
    from .bundles.relocations import *  # noqa: F403
    from .bundles.restores import *  # noqa: F403
    from .calendar import *  # noqa: F403
    from .changes import *  # noqa: F403
    from .inventory.discovery import *  # noqa: F403
    from .inventory.inventory import *  # noqa: F403
    from .jobs.job_plans import *  # noqa: F403
    from .jobs.job_start import *  # noqa: F403
    from .jobs.jobs import *  # noqa: F403
    from .jobs.timetable import *  # noqa: F403
    from .keys import *  # noqa: F403
    from .kinds import *  # noqa: F403
    from .maintenance import *  # noqa: F403
    from .paging import *  # noqa: F403
    from .problem import *  # noqa: F403
    from .reports import *  # noqa: F403
    from .runs import *  # noqa: F403
    from .search import *  # noqa: F403
    from .stores import *  # noqa: F403
    from .uploads import *  # noqa: F403
    from .watch import *  # noqa: F403


def __getattr__(name: str) -> Any:
    if name not in _MODULES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    found = getattr(import_module(f".{_MODULES[name]}", __name__), name)
    globals()[name] = found
    return found
