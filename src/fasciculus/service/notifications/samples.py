"""Messages to try templates with."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from ...core.reports.alert_report import AlertLine, AlertReport
from ...core.reports.digest import Digest, JobDigest, StoreTotal
from ...core.reports.maintenance_report import DamageLine, MaintenanceReport
from ...core.reports.restore_report import RestoreReport
from ...core.reports.run_report import CopyLine, RunReport, TaskLine
from ...core.subject import SubjectKind

_AT = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)
_SAMPLE_RUN = RunReport(
    7,
    "nightly",
    "warned",
    _AT,
    _AT + timedelta(minutes=12),
    "UTC",
    "timetable",
    [
        TaskLine(
            SubjectKind.ACCOUNT,
            "millpond",
            "warned",
            "2026-11-24T021500Z-nightly",
            1200,
            34_000_000,
            12_000_000,
            42.0,
            "",
            ["files/cache/a could not be read"],
            [CopyLine("attic", kept=7, retired=1)],
        )
    ],
)


def sample_of(
    name: str, run: RunReport | None = None
) -> RunReport | Digest | AlertReport | MaintenanceReport | RestoreReport:
    """Return a message of a template's kind, to try it with: of a run, where one is given."""
    shown = run or _SAMPLE_RUN
    match name.partition(".")[0]:
        case "report":
            return shown
        case "digest":
            job = JobDigest(shown.job, [shown], shown.ended + timedelta(hours=23))
            store = StoreTotal("attic", 12, 34_000_000)
            return Digest(
                "daily",
                shown.started,
                shown.ended,
                shown.zone,
                [job],
                ["An alert."],
                [store],
                ["millpond came back in 4 min: 1,200 files compared"],
            )
        case "alert":
            line = AlertLine("opened", "broken", "Store attic took no copy the last time.")
            return AlertReport(_AT, "UTC", [line])
        case "restore":
            return RestoreReport(
                12,
                False,
                "millpond",
                "2026-11-24T021500Z-nightly",
                "attic",
                "in place",
                "done",
                "",
                1200,
                34_000_000,
                42.0,
                _AT,
                "UTC",
                "administrator",
                "fasciculus restores undo 12",
            )
    return MaintenanceReport(
        1,
        "verify",
        "attic",
        SubjectKind.ACCOUNT,
        "millpond",
        "failed",
        "1 file is missing.",
        _AT,
        "UTC",
        "timetable",
        [DamageLine("pieces/p", "is missing", ["2026-11-24T021500Z-nightly"], ["files/a"], 1)],
        [],
    )
