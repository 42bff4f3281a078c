"""Downloads of bundles, which can be resumed."""

from __future__ import annotations

from flask import Response

from .....core.permissions import Permission
from .....models import DownloadReport
from .....models.queries import DownloadQuery
from ....usecases.bundles import downloads
from ...operations import operation
from ...request import caller
from ...transfer import range_problem, range_start, sent


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
    start = range_start(archive.tag)
    return range_problem() if start is None else sent(archive, start)


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
