"""Passwords, sessions and tokens."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from running import DEAR

from fasciculus.core.errors import MissingError, SettingError
from fasciculus.records import users
from fasciculus.records.db import Records, stamp
from fasciculus.records.users import Principal


@pytest.fixture
def db(tmp_path: Path) -> Iterator[Any]:
    records = Records(tmp_path / "records.sqlite")
    with records.write() as found:
        users.add(found, "administrator", "sedge-and-quill", must_change=False)
        users.add(found, "deputy", "reed-and-rope", must_change=True)
        yield found
    records.close()


def who(db: Any, name: str, password: str) -> Principal | None:
    return users.check(db, name, password)


def test_a_password_is_checked_whole_and_kept_as_a_digest(db: Any) -> None:
    assert who(db, "administrator", "sedge-and-quill").name == "administrator"
    assert DEAR == "scrypt:32768:8:1", "what each guess costs, outside of tests"
    for name, password in (
        ("administrator", "sedge-and-quil"),
        ("administrator", ""),
        ("deputy", "sedge-and-quill"),
        ("nobody", "sedge-and-quill"),
    ):
        assert who(db, name, password) is None
    kept = [tuple(row) for row in db.execute("SELECT * FROM person")]
    assert "sedge-and-quill" not in str(kept)


def test_a_session_ends_by_time_by_closing_and_by_a_new_password(db: Any) -> None:
    deputy = who(db, "deputy", "reed-and-rope")
    secret, csrf = users.open_session(db, deputy.person_id)
    found = users.by_session(db, secret)
    assert (found.person_id, found.csrf, found.must_change) == (deputy.person_id, csrf, True)
    assert users.by_session(db, secret + "x") is None
    over = stamp(datetime.now(UTC) - timedelta(seconds=1))
    db.execute("UPDATE session SET expires=?", (over,))
    assert users.by_session(db, secret) is None
    second, _ = users.open_session(db, deputy.person_id)
    assert db.execute("SELECT count(*) FROM session").fetchone()[0] == 1, "the old one was removed"
    users.close_session(db, second)
    assert users.by_session(db, second) is None
    third, _ = users.open_session(db, deputy.person_id)
    users.change_password(db, deputy.person_id, "another-password")
    assert users.by_session(db, third) is None and who(db, "deputy", "reed-and-rope") is None
    assert who(db, "deputy", "another-password").must_change is False


def test_a_session_lasts_as_long_as_is_said(db: Any) -> None:
    secret, _ = users.open_session(db, who(db, "deputy", "reed-and-rope").person_id)
    (text,) = db.execute("SELECT expires FROM session").fetchone()
    left = datetime.fromisoformat(text) - datetime.now(UTC)
    assert timedelta(hours=users.SESSION_HOURS - 1) < left <= timedelta(hours=users.SESSION_HOURS)
    assert secret not in str([tuple(row) for row in db.execute("SELECT * FROM session")])


def test_nobody_removes_or_sees_the_token_of_another(db: Any) -> None:
    mine = who(db, "administrator", "sedge-and-quill").person_id
    theirs = who(db, "deputy", "reed-and-rope").person_id
    made = users.add_token(db, theirs, "cron")
    with pytest.raises(MissingError):
        users.remove_token(db, mine, "cron")
    assert users.tokens(db, mine) == [] and [t.name for t in users.tokens(db, theirs)] == ["cron"]
    principal, _ = users.by_token(db, made.token)  # type: ignore[misc]
    assert principal.person_id == theirs and users.by_token(db, made.token + "x") is None
    assert made.token not in str([tuple(row) for row in db.execute("SELECT * FROM token")])
    with pytest.raises(SettingError):
        users.add_token(db, theirs, "cron")
    users.remove_token(db, theirs, "cron")
    assert users.by_token(db, made.token) is None


def test_secrets_are_long_and_never_the_same(db: Any) -> None:
    owner = who(db, "deputy", "reed-and-rope").person_id
    made = {users.add_token(db, owner, f"t{n}").token for n in range(5)}
    opened = {part for _ in range(5) for part in users.open_session(db, owner)}
    assert len(made) == 5 and len(opened) == 10
    assert all(token.startswith("fsc_") and len(token) >= 4 + 43 for token in made)
    assert all(len(secret) >= 32 for secret in opened)


def test_who_did_what_is_kept(db: Any) -> None:
    users.audit(db, "deputy", "stores_remove", "attic")
    (row,) = db.execute("SELECT at, who, action, about FROM audit").fetchall()
    assert tuple(row)[1:] == ("deputy", "stores_remove", "attic")
    assert datetime.fromisoformat(row["at"]).tzinfo is not None


def test_nobody_must_change_a_password_unless_it_is_said() -> None:
    assert users.Principal(1, "a").must_change is False and users.Principal(1, "a").csrf is None


def test_how_many_there_are(db: Any) -> None:
    assert users.count(db) == 2
