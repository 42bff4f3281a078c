"""``/get/SECRET``: links to one download each, without a sign-in."""

from __future__ import annotations

from html import escape

from flask import Flask, Response, request

from ...core.permissions import Permission
from ...models import DownloadLink, ProblemType
from ...records import users
from ...records.bundles import download_links
from ...records.users import Principal
from ..usecases.bundles.download_links import PATH
from ..usecases.bundles.downloads import bundles_download
from ..usecases.caller import Caller
from . import guesses
from .problems import problem
from .request import context
from .transfer import range_problem, range_start, sent


def install(app: Flask) -> None:
    """Answer the links: browsers get a page with a button, other programs the file.

    Programs that look ahead at what is posted in a chat must not use a link up.
    """
    app.add_url_rule(f"{PATH}<secret>", "get", _get, methods=["GET", "POST"])


def _get(secret: str) -> Response:
    found = download_links.find(context().records.reader, secret)
    if found is None or found.as_copy:
        return guesses.refused(
            problem(
                ProblemType.NOT_FOUND,
                "There is no such download.",
                hint="It may have expired, or been revoked. Ask for another link.",
            )
        )
    is_page = request.method == "GET" and "text/html" in request.headers.get("Accept", "")
    if is_page or request.method == "HEAD":
        return _page(found)
    who = f"link {found.id}"
    caller = Caller(context(), Principal(0, who, permissions=frozenset({Permission.RESTORE})))
    archive = bundles_download(caller, found.bundle, found.download)
    start = range_start(archive.tag)
    if start is None:
        return range_problem()
    with context().records.write() as db:
        if not download_links.use(db, found.id, is_resumed=start > 0):
            return problem(
                ProblemType.NOT_FOUND,
                "This link has been used as often as it may be.",
                hint="Ask for another link.",
            )
        if not start:
            users.audit(db, who, "downloaded", f"{found.subject} from {request.remote_addr}")
    answer = sent(archive, start)
    answer.headers["Cache-Control"] = "no-store"
    return answer


def _page(found: DownloadLink) -> Response:
    left = found.uses - found.used
    text = (
        f"<!doctype html><html lang='en'><meta charset='utf-8'><title>Download</title>"
        f"<h1>Download</h1><p>{escape(found.subject)}, {escape(found.note or 'from a backup')}."
        f"</p><p>Until {found.expires:%Y-%m-%d %H:%M} UTC, {left} more "
        f"{'time' if left == 1 else 'times'}.</p>"
        "<form method='post'><button>Download</button></form></html>"
    )
    return Response(text, mimetype="text/html", headers={"Cache-Control": "no-store"})
