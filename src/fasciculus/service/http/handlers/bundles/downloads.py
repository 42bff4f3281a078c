"""Downloads of bundles, which can be resumed."""

from __future__ import annotations

import re

from flask import Response, request

from .....core.permissions import Permission
from .....models import DownloadReport, ProblemType
from .....models.queries import DownloadQuery
from ....downloads import HEADER
from ....usecases.bundles import downloads
from ...operations import operation
from ...problems import problem
from ...request import caller


@operation(
    "GET",
    "/bundles/{bundle_id}/download",
    "A bundle, or part of it, as one archive",
    Permission.RESTORE,
    media="application/gzip",
    query=DownloadQuery,
    scoped=True,
)
def bundles_download(bundle_id: int, query: DownloadQuery) -> Response:
    archive = downloads.bundles_download(caller(), bundle_id, query)
    start = _range_start(archive.tag)
    if start is None:
        return problem(
            ProblemType.RANGE_NOT_SUPPORTED,
            "Only ranges of the form “bytes=N-” can be given.",
            hint="Ask for the whole, or from a byte on.",
        )
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


def _range_start(tag: str) -> int | None:
    """Return where a resumed download continues: the same bundle always has the same bytes."""
    asked = request.headers.get("Range")
    if not asked or request.headers.get("If-Range", f'"{tag}"') != f'"{tag}"':
        return 0
    match = re.fullmatch(r"bytes=(\d+)-", asked.strip())
    return int(match[1]) if match else None


@operation(
    "GET",
    "/downloads/{download_id}",
    "Omissions of a download; its number is in its X-Download header",
    Permission.RESTORE,
    response=DownloadReport,
    scoped=True,
)
def downloads_show(download_id: str) -> DownloadReport:
    return downloads.downloads_show(caller(), download_id)
