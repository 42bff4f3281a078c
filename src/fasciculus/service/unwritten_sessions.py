"""Sessions that are only in memory."""

from __future__ import annotations

import dataclasses
import secrets
import sqlite3
import time

from ..records import users


@dataclasses.dataclass(frozen=True, slots=True)
class _Unwritten:
    person: users.Principal
    password_hash: str
    ends: float


class UnwrittenSessions:
    """Sessions that were opened while the records could not be written.

    Like those in the records they end when the password is changed, by anyone.
    """

    def __init__(self) -> None:
        self._open: dict[str, _Unwritten] = {}

    def open(self, db: sqlite3.Connection, person: users.Principal) -> tuple[str, str]:
        """Return a new session: its secret and its CSRF token."""
        secret, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
        self._open[secret] = _Unwritten(
            dataclasses.replace(person, csrf=csrf),
            users.password_hash(db, person.person_id),
            time.monotonic() + users.SESSION_HOURS * 3600,
        )
        return secret, csrf

    def find(self, db: sqlite3.Connection, secret: str) -> users.Principal | None:
        """Return whose session it is, while it lasts."""
        session = self._open.get(secret)
        if session is None:
            return None
        changed = users.password_hash(db, session.person.person_id) != session.password_hash
        if changed or time.monotonic() >= session.ends:
            self.close(secret)
            return None
        return session.person

    def close(self, secret: str) -> None:
        """End a session."""
        self._open.pop(secret, None)
