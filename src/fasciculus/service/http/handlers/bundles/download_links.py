"""Links to downloads."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import DownloadLink, DownloadLinkMade, DownloadLinkStart, Page
from ....usecases.bundles import download_links
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/links",
    "Links to downloads that have not expired, without their secrets",
    Permission.RESTORE,
    response=Page[DownloadLink],
    scoped=True,
)
def links_list() -> Page[DownloadLink]:
    return download_links.links_list(caller())


@operation(
    "POST",
    "/bundles/{bundle_id}/links",
    "Make a link to one download, for someone without a sign-in",
    Permission.RESTORE,
    body=DownloadLinkStart,
    response=DownloadLinkMade,
    status=201,
    scoped=True,
)
def links_make(bundle_id: int, body: DownloadLinkStart) -> DownloadLinkMade:
    return download_links.links_make(caller(), bundle_id, body)


@operation(
    "DELETE", "/links/{link_id}", "Revoke a link to a download", Permission.RESTORE, scoped=True
)
def links_remove(link_id: int) -> None:
    download_links.links_remove(caller(), link_id)
