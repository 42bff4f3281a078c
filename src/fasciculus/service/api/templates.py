"""The words of messages."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from ...core.alert_report import AlertLine, AlertReport
from ...core.digest import Digest, JobDigest, StoreTotal
from ...core.maintenance_report import DamageLine, MaintenanceReport
from ...core.run_report import CopyLine, RunReport, TaskLine
from ...models import Page, ReportPreview, Template, TemplateText
from ...records import jobs
from ..context import context
from ..operations import operation
from ..reports import templates
from .auth import note


@operation("GET", "/templates", "The words of messages", response=Page[Template])
def templates_list() -> Page[Template]:
    own = templates.own_texts(context().records.reader)
    rows = [
        _template(f"{name}.{form}", own) for name in templates.NAMES for form in templates.FORMS
    ]
    return Page(items=rows, total=len(rows))


def _template(name: str, own: dict[str, str]) -> Template:
    shipped = templates.shipped(name)
    return Template(name=name, text=own.get(name, shipped), shipped=shipped, changed=name in own)


@operation("GET", "/templates/{name}", "The words of one message", response=Template)
def templates_show(name: str) -> Template:
    templates.check_name(name)
    return _template(name, templates.own_texts(context().records.reader))


@operation(
    "PUT",
    "/templates/{name}",
    "Put a text in place of a template, or the one that came along again",
    body=TemplateText,
    response=Template,
)
def templates_change(name: str, body: TemplateText) -> Template:
    templates.check_name(name)
    with context().records.write() as db:
        templates.save(db, name, body.text, _sample(name))
    note("changed template", name)
    return templates_show(name)


@operation(
    "GET",
    "/templates/{name}/preview",
    "A message by one template as it is in force, with the last real run where there is one",
    response=ReportPreview,
)
def templates_preview(name: str) -> ReportPreview:
    templates.check_name(name)
    report = _sample(name)
    kind = name.partition(".")[0]
    text, html = context().reporter.messages.rendered(context().records.reader, kind, report)
    return ReportPreview(title=report.title, text=text, html=html)


def _sample(name: str) -> RunReport | Digest | AlertReport | MaintenanceReport:
    """A message of a template's kind, to try it with."""
    match name.partition(".")[0]:
        case "report":
            return _last_run() or _SAMPLE_RUN
        case "digest":
            run = _last_run() or _SAMPLE_RUN
            job = JobDigest(run.job, [run], run.ended + timedelta(hours=23))
            store = StoreTotal("attic", 12, 34_000_000)
            return Digest("daily", run.started, run.ended, run.zone, [job], ["An alert."], [store])
        case "alert":
            line = AlertLine("opened", "broken", "Store attic took no copy the last time.")
            return AlertReport(_AT, "UTC", [line])
    return MaintenanceReport(
        1,
        "verify",
        "attic",
        "account",
        "millpond",
        "failed",
        "1 file is missing.",
        _AT,
        "UTC",
        "timetable",
        [DamageLine("pieces/p", "is missing", ["2026-11-24T021500Z-nightly"], ["files/a"], 1)],
        [],
    )


def _last_run() -> RunReport | None:
    db = context().records.reader
    found = [context().reporter.example(db, job.name) for job in jobs.jobs(db)]
    return max((row for row in found if row is not None), key=lambda row: row.run, default=None)


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
            "account",
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
