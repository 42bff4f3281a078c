"""Authentication, tested on the application without a server."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from flask import request
from running import PASSWORD

from fasciculus.config import load
from fasciculus.core.permissions import Permission
from fasciculus.models import ProblemType
from fasciculus.records import users
from fasciculus.service import main as program
from fasciculus.service.context import Context
from fasciculus.service.http.app import create_app
from fasciculus.service.http.operations import OPERATIONS, PREFIX, operation


@pytest.fixture
def parts(tmp_path: Path) -> Iterator[Context]:
    """The parts of a service that was not started."""
    environment = {
        "FASCICULUS_HOME": str(tmp_path / "home"),
        "FASCICULUS_ADMIN_PASSWORD": PASSWORD,
    }
    found = program.build(load(environment), environment)
    yield found
    found.records.close()


@pytest.fixture
def app(parts: Context) -> Any:
    return create_app(parts)


@pytest.fixture
def http(app: Any) -> Any:
    return app.test_client()


def token(parts: Context, name: str = "administrator") -> str:
    with parts.records.write() as db:
        owner = db.execute("SELECT id FROM person WHERE name=?", (name,)).fetchone()[0]
        return users.add_token(db, owner, f"of-{name}").token


def sign_in(http: Any, name: str = "administrator", password: str = PASSWORD) -> Any:
    return http.post(f"{PREFIX}/session", json={"name": name, "password": password})


def bearer(secret: str) -> dict[Any, Any]:
    return {"Authorization": f"Bearer {secret}"}


def test_nothing_is_open_but_what_says_so(http: Any) -> None:
    closed = [one for one in OPERATIONS if not one.public]
    assert len(closed) > 80
    for one in closed:
        path = re.sub(r"{\w+}", "1", one.path)
        answer = http.open(PREFIX + path, method=one.method)
        assert answer.status_code == 401, one.name
        assert answer.content_type == "application/problem+json"
        assert "Sign in first." in answer.text and "Bearer" in answer.json["hint"]


def test_few_things_are_open() -> None:
    assert {one.name for one in OPERATIONS if one.public} == {
        "session_open",
        # Their messages are sealed with the key of a worker, or of a code.
        "fleet_enrol",
        "fleet_message",
    }


def test_an_operation_needs_a_permission_to_register() -> None:
    before = len(OPERATIONS)
    with pytest.raises(TypeError, match="permission"):
        operation("GET", "/nothing", "Nothing")(lambda: None)  # type: ignore[call-arg]
    assert len(OPERATIONS) == before


@pytest.mark.parametrize("held", [set(), {Permission.VIEW}, set(Permission) - {Permission.VIEW}])
def test_a_user_reaches_only_what_their_permissions_cover(
    parts: Context, app: Any, monkeypatch: pytest.MonkeyPatch, held: set[Any]
) -> None:
    """Of every operation, on its former paths too, and before anything else is looked at."""
    person = users.Principal(1, "clerk", permissions=frozenset(held))
    monkeypatch.setattr(users, "by_token", lambda db, secret: (person, 1))
    reached = []

    def stand_in(**values: Any) -> str:
        reached.append(request.endpoint)
        return "reached"

    for endpoint in [name for name in app.view_functions if name.startswith("api.")]:
        app.view_functions[endpoint] = stand_in
    http = app.test_client()
    for one in OPERATIONS:
        for path in (one.path, *one.former):
            url = PREFIX + re.sub(r"{\w+}", "1", path)
            answer = http.open(url, method=one.method, headers=bearer("fsc_any"))
            if one.public or one.permission in held:
                assert answer.text == "reached", one.name
            else:
                assert answer.status_code == 403, one.name
                assert answer.json["type"] == ProblemType.NOT_PERMITTED
                assert f"“{one.permission}”" in answer.json["title"]
    allowed = {one.name for one in OPERATIONS if one.public or one.permission in held}
    assert {name.removeprefix("api.") for name in reached} == allowed


def test_paths_that_are_none_are_closed_too(http: Any) -> None:
    for path in (f"{PREFIX}/nothing", f"{PREFIX}/jobs/../jobs", f"{PREFIX}//jobs", f"{PREFIX}"):
        assert http.get(path, follow_redirects=True).status_code == 401, path


def test_a_token_opens_only_as_it_is(parts: Context, http: Any) -> None:
    secret = token(parts)
    for value in (
        "",
        "Bearer",
        "Bearer ",
        "Basic YTpi",
        "Token {}",
        "{}",
        "Bearer {}x",
        "Bearer x{}",
    ):
        given = {"Authorization": value.format(secret)}
        assert http.get(f"{PREFIX}/jobs", headers=given).status_code == 401, value
    assert http.get(f"{PREFIX}/jobs", headers=bearer(secret)).status_code == 200
    lower = {"Authorization": f"bearer {secret} "}
    assert http.get(f"{PREFIX}/jobs", headers=lower).status_code == 200, "schemes know no case"


def test_a_wrong_token_is_not_made_up_for_by_a_session(http: Any) -> None:
    sign_in(http)
    assert http.get(f"{PREFIX}/jobs").status_code == 200
    assert http.get(f"{PREFIX}/jobs", headers=bearer("fsc_wrong")).status_code == 401


def test_a_token_needs_no_csrf_and_a_session_does(parts: Context, http: Any) -> None:
    secret = token(parts)
    made = http.post(f"{PREFIX}/tokens", json={"name": "a"}, headers=bearer(secret))
    assert made.status_code == 201
    csrf = sign_in(http).json["csrf"]
    for given, status in (
        ({}, 403),
        ({"X-CSRF-Token": csrf[:-1]}, 403),
        ({"X-CSRF-Token": csrf}, 201),
    ):
        answer = http.post(f"{PREFIX}/tokens", json={"name": "b"}, headers=given)
        assert answer.status_code == status
    assert http.get(f"{PREFIX}/tokens").status_code == 200, "what only reads needs none"


def test_the_csrf_of_one_session_is_not_that_of_another(app: Any) -> None:
    one, other = app.test_client(), app.test_client()
    csrf = sign_in(one).json["csrf"]
    sign_in(other)
    answer = other.post(f"{PREFIX}/tokens", json={"name": "b"}, headers={"X-CSRF-Token": csrf})
    assert answer.status_code == 403


def test_the_cookie_is_for_this_service_alone(http: Any) -> None:
    cookie = sign_in(http).headers["Set-Cookie"]
    assert "HttpOnly" in cookie and "SameSite=Strict" in cookie and "Path=/" in cookie
    assert "Secure" not in cookie, "unless the console is reached over HTTPS"


def test_behind_https_the_cookie_is_secure(tmp_path: Path) -> None:
    environment = {
        "FASCICULUS_HOME": str(tmp_path / "home"),
        "FASCICULUS_ADMIN_PASSWORD": PASSWORD,
        "FASCICULUS_SECURE_COOKIES": "true",
    }
    parts = program.build(load(environment), environment)
    assert "Secure" in sign_in(create_app(parts).test_client()).headers["Set-Cookie"]
    parts.records.close()


def test_a_wrong_sign_in_says_the_same_whatever_was_wrong(http: Any) -> None:
    wrong = [sign_in(http, *pair) for pair in (("administrator", "x"), ("nobody", PASSWORD))]
    assert [answer.status_code for answer in wrong] == [401, 401]
    assert wrong[0].json == wrong[1].json
    assert not any("Set-Cookie" in answer.headers for answer in wrong)


def test_guesses_of_one_name_are_counted(http: Any) -> None:
    assert [sign_in(http, password="x").status_code for _ in range(6)] == [401] * 5 + [429]
    refused = sign_in(http)
    assert refused.status_code == 429, "also the right one has to wait"
    assert 0 < int(refused.headers["Retry-After"]) <= 61
    assert sign_in(http, "Administrator", "x").status_code == 429, "however it is written"
    assert sign_in(http, "deputy", "x").status_code == 401


def test_guesses_of_one_address_are_counted(http: Any) -> None:
    answers = [sign_in(http, f"name-{number}", "x").status_code for number in range(31)]
    assert answers == [401] * 30 + [429]
    assert sign_in(http).status_code == 429
    elsewhere = http.post(
        f"{PREFIX}/session",
        json={"name": "administrator", "password": PASSWORD},
        environ_base={"REMOTE_ADDR": "192.0.2.7"},
    )
    assert elsewhere.status_code == 200


def test_a_right_sign_in_is_not_counted(http: Any) -> None:
    assert [sign_in(http).status_code for _ in range(8)] == [200] * 8


def test_a_session_that_was_signed_out_is_over(http: Any) -> None:
    csrf = sign_in(http).json["csrf"]
    kept = http.get_cookie("fasciculus_session").value
    assert http.delete(f"{PREFIX}/session", headers={"X-CSRF-Token": csrf}).status_code == 204
    http.set_cookie("fasciculus_session", kept)
    assert http.get(f"{PREFIX}/jobs").status_code == 401


def test_a_session_ends_by_itself(parts: Context, http: Any) -> None:
    sign_in(http)
    assert http.get(f"{PREFIX}/session").status_code == 200
    with parts.records.write() as db:
        db.execute("UPDATE session SET expires='2026-01-01T00:00:00.000+00:00'")
    assert http.get(f"{PREFIX}/session").status_code == 401


@pytest.mark.parametrize("change", ["password", "removal", "time"])
def test_a_session_of_a_full_disk_ends_like_any_other(
    parts: Context, http: Any, change: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    # The connection that writes: a disk cannot be filled for a test.
    parts.records._writer.execute("PRAGMA query_only=ON")
    assert sign_in(http).status_code == 200
    parts.records._writer.execute("PRAGMA query_only=OFF")
    assert parts.records.reader.execute("SELECT count(*) FROM session").fetchone()[0] == 0
    assert http.get(f"{PREFIX}/session").status_code == 200
    if change == "time":
        later = time.monotonic() + users.SESSION_HOURS * 3600
        monkeypatch.setattr(time, "monotonic", lambda: later)
    else:
        with parts.records.write() as db:
            person = users.id_of(db, "administrator")
            if change == "password":
                users.change_password(db, person, "another good password")
            else:
                db.execute("DELETE FROM person WHERE id=?", (person,))
    assert http.get(f"{PREFIX}/session").status_code == 401


def test_a_initial_password_opens_its_own_change_and_nothing_else(parts: Context, app: Any) -> None:
    with parts.records.write() as db:
        users.add(db, "deputy", "once-and-only", must_change=True)
    secret, http = token(parts, "deputy"), app.test_client()
    csrf = {"X-CSRF-Token": sign_in(http, "deputy", "once-and-only").json["csrf"]}
    for headers in (bearer(secret), {}):
        answer = http.get(f"{PREFIX}/jobs", headers=headers)
        assert answer.status_code == 403 and "password of your own" in answer.text
    assert http.get(f"{PREFIX}/session").json["must_change"]
    change = {"old": "once-and-only", "new": "a-password-of-my-own"}
    assert http.post(f"{PREFIX}/session/password", json=change, headers=csrf).status_code == 204
    assert http.get(f"{PREFIX}/session").status_code == 401, "all sessions are over"
    sign_in(http, "deputy", "a-password-of-my-own")
    assert http.get(f"{PREFIX}/jobs").status_code == 200


def test_a_password_changes_only_with_the_old_one(parts: Context, http: Any) -> None:
    csrf = {"X-CSRF-Token": sign_in(http).json["csrf"]}
    for old, new, field in (("wrong", "a-password-of-my-own", "old"), (PASSWORD, "short", "new")):
        change = {"old": old, "new": new}
        answer = http.post(f"{PREFIX}/session/password", json=change, headers=csrf)
        assert (answer.status_code, answer.json["field"]) == (422, field)
    assert users.check(parts.records.reader, "administrator", PASSWORD)


def test_nobody_removes_the_token_of_another(parts: Context, app: Any) -> None:
    with parts.records.write() as db:
        users.add(db, "deputy", "reed-and-rope", must_change=False)
    mine, theirs = token(parts), token(parts, "deputy")
    http = app.test_client()
    assert http.delete(f"{PREFIX}/tokens/of-deputy", headers=bearer(mine)).status_code == 404
    listed = http.get(f"{PREFIX}/tokens", headers=bearer(mine)).json
    assert [row["name"] for row in listed["items"]] == ["of-administrator"]
    assert theirs not in str(listed)
    assert http.delete(f"{PREFIX}/tokens/of-deputy", headers=bearer(theirs)).status_code == 204
    assert http.get(f"{PREFIX}/tokens", headers=bearer(theirs)).status_code == 401


def test_the_use_of_a_token_is_noted_to_the_minute(
    parts: Context, http: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    secret = token(parts)

    def last_used() -> str | None:
        with parts.records.write() as db:
            (found,) = db.execute("SELECT last_used FROM token").fetchone()
            db.execute("UPDATE token SET last_used=NULL")
        return found

    assert last_used() is None
    http.get(f"{PREFIX}/jobs", headers=bearer(secret))
    assert last_used()
    http.get(f"{PREFIX}/jobs", headers=bearer(secret))
    assert last_used() is None, "not a write for every call"
    later = time.monotonic() + 61
    monkeypatch.setattr(time, "monotonic", lambda: later)
    http.get(f"{PREFIX}/jobs", headers=bearer(secret))
    assert last_used()


def test_answers_say_what_browsers_may_do(http: Any) -> None:
    for path in ("/", f"{PREFIX}/jobs", "/health"):
        headers = http.get(path).headers
        assert headers["X-Content-Type-Options"] == "nosniff"
        assert headers["X-Frame-Options"] == "DENY" and headers["Referrer-Policy"] == "no-referrer"
        assert "default-src 'self'" in headers["Content-Security-Policy"]
    assert http.get(f"{PREFIX}/jobs").headers["Cache-Control"] == "no-store"


def test_a_body_that_is_too_large_is_refused(parts: Context, http: Any) -> None:
    body = b'{"name": "' + b"x" * (9 * 1024 * 1024) + b'"}'
    answer = http.post(f"{PREFIX}/tokens", data=body, headers=bearer(token(parts)))
    assert answer.status_code == 413
