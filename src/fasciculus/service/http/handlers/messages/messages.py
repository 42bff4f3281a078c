"""Messages as they look, for a frame of the console."""

from __future__ import annotations

from flask import Response

from .....core.permissions import Permission
from ....usecases.messages import messages
from ...operations import operation
from ...request import caller

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
    html = messages.messages_show(caller(), kind, name)
    return Response(html, mimetype="text/html", headers=headers)
