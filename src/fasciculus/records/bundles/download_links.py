"""Links to downloads; only the digests of their secrets are kept."""

from __future__ import annotations

import hashlib
import secrets
import sqlite3
from datetime import UTC, datetime, timedelta

from ...core.errors import MissingError
from ...core.scope import Scope
from ...models import Bundle, DownloadLink, DownloadLinkStart
from ...models.queries import DownloadQuery
from ..db import now, stamp
from ..scope import subjects_within

#: How often a download may be continued after a break, for each use.
_RESUMES = 50


def digest(secret: str) -> str:
    """Return what is kept of a secret: it is long and random, so that a plain digest suffices."""
    return hashlib.sha256(secret.encode("utf-8", "replace")).hexdigest()


def make(
    db: sqlite3.Connection, bundle: Bundle, link: DownloadLinkStart, created_by: str
) -> tuple[int, str]:
    """Return the number and the secret of a new link; links that have expired are forgotten."""
    db.execute("DELETE FROM download_link WHERE expires < ?", (now(),))
    secret = secrets.token_urlsafe(32)
    expires = datetime.now(UTC) + timedelta(hours=link.hours)
    row = db.execute(
        "INSERT INTO download_link (hash, bundle_id, subject_kind, subject, query, note, created, "
        "created_by, expires, uses, as_copy) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        (
            digest(secret),
            bundle.id,
            bundle.subject_kind,
            bundle.subject,
            link.download.model_dump_json(),
            link.note,
            now(),
            created_by,
            stamp(expires),
            link.uses,
            link.as_copy,
        ),
    )
    return int(row.lastrowid or 0), secret


def _link(row: sqlite3.Row) -> DownloadLink:
    values = {key: row[key] for key in DownloadLink.model_fields if key in row.keys()}  # noqa: SIM118
    return DownloadLink(
        **values, bundle=row["bundle_id"], download=DownloadQuery.model_validate_json(row["query"])
    )


def links(db: sqlite3.Connection, scope: Scope) -> list[DownloadLink]:
    """Return the links that have not expired, newest first."""
    condition, values = subjects_within(scope, "download_link")
    rows = db.execute(
        f"SELECT * FROM download_link WHERE expires >= ? AND {condition} ORDER BY id DESC",
        [now(), *values],
    )
    return [_link(row) for row in rows]


def remove(db: sqlite3.Connection, number: int, scope: Scope) -> DownloadLink:
    """Remove a link, and return what it was. Raises ``MissingError``."""
    found = next((row for row in links(db, scope) if row.id == number), None)
    if found is None:
        raise MissingError(f"There is no link {number}.", "“fasciculus bundles links” lists them.")
    db.execute("DELETE FROM download_link WHERE id=?", (number,))
    return found


def find(db: sqlite3.Connection, secret: str) -> DownloadLink | None:
    """Return the link of a secret, if it may still be used or continued."""
    row = db.execute(
        "SELECT * FROM download_link WHERE hash=? AND expires >= ?", (digest(secret), now())
    ).fetchone()
    return _link(row) if row else None


def use(db: sqlite3.Connection, number: int, is_resumed: bool) -> bool:
    """Count a use, or that one is continued; return whether the link allows it."""
    changed = db.execute(
        "UPDATE download_link SET resumed=resumed+1 WHERE id=? AND used > 0 AND resumed < used * ?"
        if is_resumed
        else "UPDATE download_link SET used=used+1, last_used=? WHERE id=? AND used < uses",
        (number, _RESUMES) if is_resumed else (now(), number),
    )
    return changed.rowcount == 1
