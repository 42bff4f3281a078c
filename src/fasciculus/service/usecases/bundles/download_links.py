"""Links to one download each, for people without a sign-in."""

from __future__ import annotations

from ....models import DownloadLink, DownloadLinkMade, DownloadLinkStart, Page
from ....records.bundles import bundles, download_links
from ..caller import Caller
from .downloads import bundles_download
from .listings import chosen_copy

#: Where the service answers them.
PATH = "/get/"


def links_list(caller: Caller) -> Page[DownloadLink]:
    """Return the links that have not expired."""
    found = download_links.links(caller.reader, caller.scope)
    return Page(items=found, total=len(found))


def links_make(caller: Caller, bundle_id: int, body: DownloadLinkStart) -> DownloadLinkMade:
    """Make a link; its address is shown only once."""
    bundle = bundles.bundle(caller.reader, bundle_id, caller.scope)
    if body.as_copy:
        chosen_copy(bundle, body.download.store)
    else:
        # A download that cannot begin is refused now, not when the link is opened.
        bundles_download(caller, bundle_id, body.download)
    with caller.write() as db:
        number, secret = download_links.make(db, bundle, body, caller.name)
    caller.note("made a download link", f"{number} of {bundle.subject} {bundle.name}")
    made = next(
        row for row in download_links.links(caller.reader, caller.scope) if row.id == number
    )
    if body.as_copy:
        return DownloadLinkMade(**made.model_dump(), url=caller.service.base_url, code=secret)
    return DownloadLinkMade(**made.model_dump(), url=f"{caller.service.base_url}{PATH}{secret}")


def links_remove(caller: Caller, link_id: int) -> None:
    """Revoke a link."""
    with caller.write() as db:
        found = download_links.remove(db, link_id, caller.scope)
    caller.note("revoked a download link", f"{link_id} of {found.subject}")
