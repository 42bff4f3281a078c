"""The answer that sends an archive, from any byte on."""

from __future__ import annotations

import re

from flask import Response, request

from ...models import ProblemType
from ..downloads import HEADER
from ..usecases.bundles.downloads import Archive
from .problems import problem


def range_start(tag: str) -> int | None:
    """Return where a resumed download continues: the same bundle always has the same bytes. None
    for a range that cannot be given.
    """
    asked = request.headers.get("Range")
    if not asked or request.headers.get("If-Range", f'"{tag}"') != f'"{tag}"':
        return 0
    match = re.fullmatch(r"bytes=(\d+)-", asked.strip())
    return int(match[1]) if match else None


def range_problem() -> Response:
    """Return the answer to a range that cannot be given."""
    return problem(
        ProblemType.RANGE_NOT_SUPPORTED,
        "Only ranges of the form “bytes=N-” can be given.",
        hint="Ask for the whole, or from a byte on.",
    )


def sent(archive: Archive, start: int) -> Response:
    """Return the archive from a byte on."""
    download = archive.begin(start)
    headers = {
        "ETag": f'"{archive.tag}"',
        HEADER: download.number,
        "Accept-Ranges": "bytes",
        "Content-Disposition": f'attachment; filename="{archive.name}"',
    }
    if start:
        headers["Content-Range"] = f"bytes {start}-/*"
    return Response(download, 206 if start else 200, mimetype=archive.format.media, headers=headers)
