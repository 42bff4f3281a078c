"""Messages as they look, for a frame of the console."""

from __future__ import annotations

from flask import Response

from ...core.errors import MissingError
from ...core.permissions import Permission
from ...records import reports
from ..context import context
from ..operations import operation
from .reports import jobs_report
from .templates import templates_preview

#: Mail has its styles inline; nothing in it is executed or fetched, and it belongs to
#: nobody's origin.
_POLICY = (
    "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data:; frame-ancestors 'self'"
)


@operation(
    "GET",
    "/messages/{kind}/{name}",
    "A message as it looks: a report by its number, the next report of a job, a template filled in",
    Permission.VIEW,
    media="text/html",
)
def messages_show(kind: str, name: str) -> Response:
    headers = {"Content-Security-Policy": _POLICY, "X-Frame-Options": "SAMEORIGIN"}
    return Response(_html(kind, name), mimetype="text/html", headers=headers)


def _html(kind: str, name: str) -> str:
    match kind:
        case "report" if name.isdecimal() and len(name) < 19:
            return reports.report(context().records.reader, int(name)).html
        case "job":
            return jobs_report(name).html
        case "template":
            return templates_preview(name).html
    raise MissingError(
        f"There is no message {kind} {name}.", "Kinds: report with a number, job, template."
    )
