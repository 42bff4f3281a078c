"""People, sessions, tokens, the audit trail. Only hashes of what opens a door are kept."""

from __future__ import annotations

import hashlib
import json
import secrets
import sqlite3
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from functools import cache

from werkzeug.security import check_password_hash, generate_password_hash

from ..core import scope
from ..core.errors import MissingError, NameTakenError
from ..core.permissions import EVERYTHING, Permission
from ..core.scope import Scope
from ..models import Token, TokenMade
from .db import now, stamp

SESSION_HOURS = 12
TOKEN_MARK = "fsc_"
SIGNED_IN = "signed in"
#: How passwords are hashed: what makes each guess take long.
HASHING = "scrypt:32768:8:1"


@cache
def _nobody() -> str:
    """Return a hash to compare with when there is no such person, so that both answers take as
    long.
    """
    return generate_password_hash(secrets.token_hex(16), HASHING)


@dataclass(frozen=True, slots=True)
class Principal:
    """A signed-in user, by a session or a token, and what they may do."""

    person_id: int
    name: str
    must_change: bool = False
    csrf: str | None = None
    permissions: frozenset[Permission] = EVERYTHING
    scope: Scope = scope.EVERYTHING


def _principal(row: sqlite3.Row) -> Principal:
    named = row["accounts"]
    found = scope.EVERYTHING if named is None else Scope(frozenset(json.loads(named)))
    return Principal(row["id"], row["name"], bool(row["must_change"]), scope=found)


def _hash(secret: str) -> str:
    # Sessions and tokens are 256 random bits: a plain digest is enough.
    return hashlib.sha256(secret.encode()).hexdigest()


def count(db: sqlite3.Connection) -> int:
    """Return how many people there are."""
    return int(db.execute("SELECT count(*) FROM person").fetchone()[0])


def add(db: sqlite3.Connection, name: str, password: str, must_change: bool) -> None:
    """Add a person with a password."""
    db.execute(
        "INSERT INTO person (name, password, must_change, created) VALUES (?, ?, ?, ?)",
        (name, generate_password_hash(password, HASHING), must_change, now()),
    )


def check(db: sqlite3.Connection, name: str, password: str) -> Principal | None:
    """Return the person of that name and password."""
    row = db.execute("SELECT * FROM person WHERE name=?", (name,)).fetchone()
    if not check_password_hash(row["password"] if row else _nobody(), password) or row is None:
        return None
    return _principal(row)


def id_of(db: sqlite3.Connection, name: str) -> int:
    """Return the number of a person."""
    row = db.execute("SELECT id FROM person WHERE name=?", (name,)).fetchone()
    if row is None:
        names = ", ".join(row[0] for row in db.execute("SELECT name FROM person ORDER BY name"))
        raise MissingError(f"Nobody is called “{name}”.", f"There is: {names or 'nobody yet'}.")
    return int(row[0])


def set_scope(db: sqlite3.Connection, person_id: int, new: Scope) -> None:
    """Set which accounts a person may see."""
    named = None if new.accounts is None else json.dumps(sorted(new.accounts))
    db.execute("UPDATE person SET accounts=? WHERE id=?", (named, person_id))


def change_password(
    db: sqlite3.Connection, person_id: int, password: str, must_change: bool = False
) -> None:
    """Set a new password and end all of the person's sessions."""
    db.execute(
        "UPDATE person SET password=?, must_change=? WHERE id=?",
        (generate_password_hash(password, HASHING), must_change, person_id),
    )
    db.execute("DELETE FROM session WHERE person_id=?", (person_id,))


def password_hash(db: sqlite3.Connection, person_id: int) -> str:
    """Return the salted hash of a person's password, empty for nobody: another one after each
    change.
    """
    row = db.execute("SELECT password FROM person WHERE id=?", (person_id,)).fetchone()
    return str(row["password"]) if row is not None else ""


def open_session(db: sqlite3.Connection, person_id: int) -> tuple[str, str]:
    """Return a new session: its secret and its CSRF token."""
    secret, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    expires = datetime.now(UTC) + timedelta(hours=SESSION_HOURS)
    db.execute("DELETE FROM session WHERE expires < ?", (now(),))
    db.execute(
        "INSERT INTO session VALUES (?, ?, ?, ?, ?)",
        (_hash(secret), person_id, csrf, now(), stamp(expires)),
    )
    return secret, csrf


def by_session(db: sqlite3.Connection, secret: str) -> Principal | None:
    """Return the person of a session that has not expired."""
    row = db.execute(
        "SELECT person.id, name, must_change, accounts, csrf FROM session JOIN person "
        "ON person.id=person_id WHERE hash=? AND expires > ?",
        (_hash(secret), now()),
    ).fetchone()
    return replace(_principal(row), csrf=row["csrf"]) if row else None


def close_session(db: sqlite3.Connection, secret: str) -> None:
    """End a session."""
    db.execute("DELETE FROM session WHERE hash=?", (_hash(secret),))


def by_token(db: sqlite3.Connection, secret: str) -> tuple[Principal, int] | None:
    """Return the token's owner and the token's id."""
    row = db.execute(
        "SELECT token.id AS token_id, person.id, person.name, must_change, accounts FROM token "
        "JOIN person ON person.id=person_id WHERE hash=?",
        (_hash(secret),),
    ).fetchone()
    if row is None:
        return None
    return _principal(row), int(row["token_id"])


def token_used(db: sqlite3.Connection, token_id: int) -> None:
    """Record that a token was used now."""
    db.execute("UPDATE token SET last_used=? WHERE id=?", (now(), token_id))


def tokens(db: sqlite3.Connection, person_id: int) -> list[Token]:
    """Return the tokens of a person, without their secrets."""
    rows = db.execute(
        "SELECT name, created, last_used FROM token WHERE person_id=? ORDER BY name", (person_id,)
    )
    return [Token(**row) for row in rows]


def add_token(db: sqlite3.Connection, person_id: int, name: str) -> TokenMade:
    """Add a token; its secret is in the answer only. Raises ``NameTakenError``."""
    secret = TOKEN_MARK + secrets.token_urlsafe(32)
    created = now()
    try:
        db.execute(
            "INSERT INTO token (name, hash, person_id, created) VALUES (?, ?, ?, ?)",
            (name, _hash(secret), person_id, created),
        )
    except sqlite3.IntegrityError as error:
        raise NameTakenError(
            f"There is a token “{name}” already.", "Choose another name.", field="name"
        ) from error
    return TokenMade(name=name, created=datetime.fromisoformat(created), token=secret)


def remove_tokens(db: sqlite3.Connection, person_id: int) -> None:
    """Remove all tokens of a person."""
    db.execute("DELETE FROM token WHERE person_id=?", (person_id,))


def has_signed_in(db: sqlite3.Connection, name: str, address: str) -> bool:
    """Return whether a person has signed in from an address before."""
    return (
        db.execute(
            "SELECT 1 FROM audit WHERE who=? AND action=? AND about=? LIMIT 1",
            (name, SIGNED_IN, address),
        ).fetchone()
        is not None
    )


def remove_token(db: sqlite3.Connection, person_id: int, name: str) -> None:
    """Remove a token of a person. Raises ``MissingError``."""
    if not db.execute("DELETE FROM token WHERE person_id=? AND name=?", (person_id, name)).rowcount:
        raise MissingError(f"There is no token “{name}”.", "“fasciculus tokens list” names them.")


def audit(db: sqlite3.Connection, who: str, action: str, about: str) -> None:
    """Write a line of the audit trail."""
    db.execute(
        "INSERT INTO audit (at, who, action, about) VALUES (?, ?, ?, ?)",
        (now(), who, action, about),
    )
