"""Signing in and out, passwords, tokens."""

from __future__ import annotations

import logging
from contextlib import suppress
from urllib.parse import urlsplit

from flask import Response, current_app, request
from pydantic import ValidationError

from ...core.errors import SettingError
from ...core.permissions import Permission
from ...models import (
    Identity,
    Page,
    Password,
    ProblemType,
    SignIn,
    Token,
    TokenMade,
    TokenNew,
)
from ...records import users
from ...records.db import UnwritableError
from .. import initial_password
from ..auth import COOKIE, SignInLimiter, UnwrittenSessions
from ..context import context
from ..operations import operation, principal
from ..problems import problem

log = logging.getLogger(__name__)


@operation("POST", "/session", "Sign in", Permission.PUBLIC, raw_body=SignIn, response=Identity)
def session_open() -> Response:
    # A page elsewhere can send a form or text without asking, and would sign its reader in.
    if request.mimetype != "application/json" or not _from_here():
        return problem(
            ProblemType.CSRF_TOKEN_REQUIRED,
            "Sign in from the console itself, or send JSON.",
            hint="Reload the page.",
        )
    # A body that is no sign-in is answered like a wrong one: 401.
    guard: SignInLimiter = current_app.extensions["fasciculus-guard"]
    try:
        body = SignIn.model_validate_json(request.get_data())
    except ValidationError:
        return problem(
            ProblemType.WRONG_PASSWORD,
            "Sign in with a name and a password.",
            hint='Send {"name": …, "password": …}.',
        )
    records, address = context().records, str(request.remote_addr)
    is_known = users.has_signed_in(records.reader, body.name, address)
    if wait := guard.wait(body.name, is_known):
        log.warning("sign-in refused: too many tries, for %r from %s", body.name[:64], address)
        answer = problem(
            ProblemType.TOO_MANY_REQUESTS,
            "Too many failed sign-ins.",
            hint=f"Try again in {wait} seconds.",
        )
        answer.headers["Retry-After"] = str(wait)
        return answer
    with guard.slowly():
        person = users.check(records.reader, body.name, body.password)
    if person is None:
        log.warning("sign-in refused: wrong, for %r from %s", body.name[:64], address)
        with suppress(UnwritableError), records.write() as db:
            users.audit(db, "?", "sign-in refused", f"{body.name[:64]} from {address}")
        return problem(
            ProblemType.WRONG_PASSWORD, "The name or the password is wrong.", hint="Try again."
        )
    secret, csrf = _new_session(person, address)
    guard.right(body.name, is_known)
    identity = Identity(name=person.name, csrf=csrf, must_change=person.must_change)
    answer = Response(identity.model_dump_json(), mimetype="application/json")
    answer.set_cookie(
        COOKIE,
        secret,
        max_age=users.SESSION_HOURS * 3600,
        httponly=True,
        samesite="Strict",
        secure=context().config.secure_cookies,
        path="/",
    )
    return answer


def _from_here() -> bool:
    """Return whether a request comes from a page of this service, or from no page."""
    origin = request.headers.get("Origin")
    if origin is None:
        return True
    public = urlsplit(context().config.public_url).netloc
    return urlsplit(origin).netloc in filter(None, (request.host, public))


def _new_session(person: users.Principal, address: str) -> tuple[str, str]:
    """Return a session's secret and CSRF token; while the records cannot be written, only in
    memory.
    """
    try:
        with context().records.write() as db:
            users.audit(db, person.name, users.SIGNED_IN, address)
            return users.open_session(db, person.person_id)
    except UnwritableError as error:
        log.warning("%s signed in from %s; %s", person.name, address, error.message)
        unwritten: UnwrittenSessions = current_app.extensions["fasciculus-sessions"]
        return unwritten.open(context().records.reader, person)


@operation("GET", "/session", "The signed-in user", Permission.SIGNED_IN, response=Identity)
def session_show() -> Identity:
    who = principal()
    return Identity(name=who.name, csrf=who.csrf or "", must_change=who.must_change)


@operation("DELETE", "/session", "Sign out", Permission.SIGNED_IN)
def session_close() -> Response:
    secret = request.cookies.get(COOKIE, "")
    unwritten: UnwrittenSessions = current_app.extensions["fasciculus-sessions"]
    unwritten.close(secret)
    with context().records.write() as db:
        users.close_session(db, secret)
    answer = Response(status=204)
    answer.delete_cookie(COOKIE, path="/", samesite="Strict", httponly=True)
    return answer


@operation(
    "POST",
    "/session/password",
    "Choose another password; ends all sessions",
    Permission.SIGNED_IN,
    body=Password,
)
def password_change(body: Password) -> None:
    who = principal()
    records = context().records
    if users.check(records.reader, who.name, body.old) is None:
        raise SettingError("The old password is wrong.", "Enter it again.", field="old")
    if body.new == body.old:
        raise SettingError("The new password is the old one.", "Choose another.", field="new")
    with records.write() as db:
        users.change_password(db, who.person_id, body.new)
        if body.end_tokens:
            users.remove_tokens(db, who.person_id)
        ended = " and ended all tokens" if body.end_tokens else ""
        initial_password.forget(context().config.home)
        users.audit(db, who.name, f"changed the password{ended}", who.name)


@operation("GET", "/tokens", "Your tokens", Permission.SIGNED_IN, response=Page[Token])
def tokens_list() -> Page[Token]:
    rows = users.tokens(context().records.reader, principal().person_id)
    return Page(items=rows, total=len(rows))


@operation(
    "POST",
    "/tokens",
    "Make a token; it is shown this once",
    Permission.SIGNED_IN,
    body=TokenNew,
    response=TokenMade,
    status=201,
)
def tokens_add(body: TokenNew) -> TokenMade:
    who = principal()
    with context().records.write() as db:
        users.audit(db, who.name, "made a token", body.name)
        return users.add_token(db, who.person_id, body.name)


@operation("DELETE", "/tokens/{name}", "Remove a token", Permission.SIGNED_IN)
def tokens_remove(name: str) -> None:
    who = principal()
    with context().records.write() as db:
        users.remove_token(db, who.person_id, name)
        users.audit(db, who.name, "removed a token", name)


def note(action: str, about: str) -> None:
    """Write a line of the audit trail; never with secrets."""
    with context().records.write() as db:
        users.audit(db, principal().name, action, about)
