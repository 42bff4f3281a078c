"""The words of messages."""

from __future__ import annotations

from ...core.permissions import Permission
from ...core.run_report import RunReport
from ...models import Page, ReportPreview, Template, TemplateText
from ...records import jobs
from ..context import context
from ..notifications import templates
from ..notifications.samples import sample_of
from ..operations import operation
from .auth import note


@operation("GET", "/templates", "The words of messages", Permission.VIEW, response=Page[Template])
def templates_list() -> Page[Template]:
    own = templates.own_texts(context().records.reader)
    rows = [
        _template(f"{name}.{form}", own) for name in templates.NAMES for form in templates.FORMS
    ]
    return Page(items=rows, total=len(rows))


def _template(name: str, own: dict[str, str]) -> Template:
    shipped = templates.shipped(name)
    return Template(name=name, text=own.get(name, shipped), shipped=shipped, changed=name in own)


@operation(
    "GET", "/templates/{name}", "The words of one message", Permission.VIEW, response=Template
)
def templates_show(name: str) -> Template:
    templates.check_name(name)
    return _template(name, templates.own_texts(context().records.reader))


@operation(
    "PUT",
    "/templates/{name}",
    "Put a text in place of a template, or the one that came along again",
    Permission.CONFIGURE,
    body=TemplateText,
    response=Template,
)
def templates_change(name: str, body: TemplateText) -> Template:
    templates.check_name(name)
    with context().records.write() as db:
        templates.save(db, name, body.text, sample_of(name, _last_run()))
    note("changed template", name)
    return templates_show(name)


@operation(
    "GET",
    "/templates/{name}/preview",
    "A message by the present template, with the last real run if there is one",
    Permission.VIEW,
    response=ReportPreview,
)
def templates_preview(name: str) -> ReportPreview:
    templates.check_name(name)
    report = sample_of(name, _last_run())
    kind = name.partition(".")[0]
    text, html = context().reporter.messages.rendered(context().records.reader, kind, report)
    return ReportPreview(title=report.title, text=text, html=html)


def _last_run() -> RunReport | None:
    db = context().records.reader
    found = [context().reporter.example(db, job.name) for job in jobs.jobs(db)]
    return max((row for row in found if row is not None), key=lambda row: row.run, default=None)
