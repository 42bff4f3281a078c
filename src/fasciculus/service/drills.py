"""The choice of the next bundle to drill, and the settings of drills."""

from __future__ import annotations

import logging
import sqlite3

from pydantic import ValidationError

from ..core.errors import FasciculusError, MissingError, SettingError
from ..core.scope import EVERYTHING, Scope
from ..core.subject import SubjectKind
from ..models import Bundle, DrillPage, DrillSettings, RelocationAsk, RelocationProposal
from ..records import inventory, seal_keys, settings
from ..records.bundles import bundles
from ..records.runs import restores
from .relocations import propose

log = logging.getLogger(__name__)

_KEY = "drills"


def drill_settings(db: sqlite3.Connection) -> DrillSettings:
    """Return the settings, or the defaults."""
    return DrillSettings.model_validate(settings.get(db, _KEY) or {})


def save_drill_settings(db: sqlite3.Connection, new: DrillSettings) -> None:
    """Save the settings."""
    settings.put(db, _KEY, new.model_dump(mode="json"))


def next_drill(db: sqlite3.Connection, wanted: list[str], scope: Scope = EVERYTHING) -> Bundle:
    """Return the bundle to drill: of the subject whose last drill is the longest ago, the newest
    one with the most kinds of contents.

    ``wanted`` are the only subjects, none for all. Sealed bundles take part if the service keeps a
    private key. Raises ``MissingError`` if no bundle qualifies.
    """
    with_sealed = bool(seal_keys.keys(db))
    last = {row.subject: row.id for row in restores.last_drills(db)}
    found = [
        row
        for row in bundles.drillable(db, scope, with_sealed)
        if not wanted or row.subject in wanted
    ]
    if not found:
        raise MissingError(
            "No bundle can be restored for a drill.",
            "Drills need an account or site with a sound copy; sealed ones also a stored key.",
        )
    chosen = min(found, key=lambda row: last.get(row.subject, 0))
    return bundles.bundle(db, chosen.id)


def drill_copy(
    db: sqlite3.Connection,
    bundle: Bundle,
    page: DrillPage,
    site: str = "",
    scope: Scope = EVERYTHING,
) -> RelocationProposal:
    """Return the copy next to a site whose page a drill requests.

    Raises ``SettingError`` if the host of the site has no place for it.
    """
    subject = bundle.subject
    if bundle.subject_kind == SubjectKind.SITE:
        subject = inventory.account_of_site(db, subject)
    address = page.address.replace("{account}", subject)
    try:
        ask = RelocationAsk(bundle=bundle.id, site=site, address=address)
    except ValidationError as error:
        raise SettingError(
            f"“{address}” cannot be the address of a copy.",
            "Use another one (--page).",
            field="page",
        ) from error
    found = propose(db, ask, scope)
    host = inventory.account(db, found.relocation.account).host
    if inventory.connection_kind(db, host) not in ("local", "ssh"):
        raise SettingError(
            f"{host} is reached in a way that has no place for a copy.",
            "Start the drill without a page.",
            field="page",
        )
    return found


def timed_copy(
    db: sqlite3.Connection, bundle: Bundle, page: DrillPage | None
) -> RelocationProposal | None:
    """Return the copy that a drill on the timetable makes, None if it requests no page."""
    if page is None or not page.address:
        return None
    try:
        return drill_copy(db, bundle, page)
    except FasciculusError as error:
        log.info("the drill of %s requests no page: %s", bundle.subject, error.sentence())
        return None
