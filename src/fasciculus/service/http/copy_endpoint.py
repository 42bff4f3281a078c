"""``/copies/SECRET``: the files of one bundle, for another installation without a sign-in."""

from __future__ import annotations

import re

from flask import Flask, Response, request

from ...core.permissions import Permission
from ...models import DownloadLink, ProblemType
from ...records import users
from ...records.bundles import download_links
from ...records.users import Principal
from ..usecases.bundles.copy_links import PATH, copy_files, copy_part
from ..usecases.caller import Caller
from . import guesses
from .problems import problem
from .request import context
from .transfer import range_problem

_RANGE = re.compile(r"bytes=(\d{1,15})-")


def install(app: Flask) -> None:
    """Answer the list of files, and parts of each: at most 4 MiB from the first byte of a range."""
    app.add_url_rule(f"{PATH}<secret>", "copy_files", _files)
    app.add_url_rule(f"{PATH}<secret>/<path:path>", "copy_part", _part)


def _found(secret: str) -> DownloadLink | None:
    found = download_links.find(context().records.reader, secret)
    return found if found is not None and found.as_copy else None


def _caller(found: DownloadLink) -> Caller:
    who = Principal(0, f"link {found.id}", permissions=frozenset({Permission.RESTORE}))
    return Caller(context(), who)


def _refused() -> Response:
    return guesses.refused(
        problem(
            ProblemType.NOT_FOUND,
            "No bundle is given away under that code.",
            hint="It may have expired, or been revoked. Ask for another one.",
        )
    )


def _files(secret: str) -> Response:
    found = _found(secret)
    if found is None:
        return _refused()
    files = copy_files(_caller(found), found)
    with context().records.write() as db:
        about = f"{found.subject} to an installation at {request.remote_addr}"
        users.audit(db, f"link {found.id}", "gave a copy", about)
    return _private(Response(files.model_dump_json(), mimetype="application/json"))


def _part(secret: str, path: str) -> Response:
    found = _found(secret)
    if found is None:
        return _refused()
    asked = _RANGE.fullmatch(request.headers.get("Range", "bytes=0-").strip())
    if asked is None:
        return range_problem()
    start = int(asked[1])
    data, size = copy_part(_caller(found), found, path, start)
    answer = Response(data, 206, mimetype="application/octet-stream")
    answer.headers["Content-Range"] = f"bytes {start}-{start + len(data) - 1}/{size}"
    return _private(answer)


def _private(answer: Response) -> Response:
    answer.headers["Cache-Control"] = "no-store"
    return answer
