"""The words of messages."""

from __future__ import annotations

from ....core.reports.run_report import RunReport
from ....models import Page, ReportPreview, Template, TemplateText
from ....records.jobs import jobs
from ...notifications import templates
from ...notifications.samples import sample_of
from ..caller import Caller


def templates_list(caller: Caller) -> Page[Template]:
    """Return the words of messages."""
    own = templates.own_texts(caller.reader)
    rows = [
        _template(f"{name}.{form}", own) for name in templates.NAMES for form in templates.FORMS
    ]
    return Page(items=rows, total=len(rows))


def _template(name: str, own: dict[str, str]) -> Template:
    shipped = templates.shipped(name)
    return Template(name=name, text=own.get(name, shipped), shipped=shipped, changed=name in own)


def templates_show(caller: Caller, name: str) -> Template:
    """Return the words of one message."""
    templates.check_name(name)
    return _template(name, templates.own_texts(caller.reader))


def templates_change(caller: Caller, name: str, body: TemplateText) -> Template:
    """Put a text in place of a template, or the one that came along again."""
    templates.check_name(name)
    with caller.write() as db:
        templates.save(db, name, body.text, sample_of(name, _last_run(caller)))
    caller.note("changed template", name)
    return templates_show(caller, name)


def templates_preview(caller: Caller, name: str) -> ReportPreview:
    """Return a message by the present template, with the last real run if there is one."""
    templates.check_name(name)
    report = sample_of(name, _last_run(caller))
    kind = name.partition(".")[0]
    text, html = caller.service.reporter.messages.rendered(caller.reader, kind, report)
    return ReportPreview(title=report.title, text=text, html=html)


def _last_run(caller: Caller) -> RunReport | None:
    db = caller.reader
    found = [caller.service.reporter.example(db, job.name) for job in jobs.jobs(db)]
    return max((row for row in found if row is not None), key=lambda row: row.run, default=None)
