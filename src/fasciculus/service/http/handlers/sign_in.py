"""Signing in and out, passwords, tokens."""

from __future__ import annotations

import logging
from urllib.parse import urlsplit

from flask import Response, current_app, request
from pydantic import ValidationError

from ....core.permissions import Permission
from ....models import Identity, Page, Password, ProblemType, SignIn, Token, TokenMade, TokenNew
from ....records import users
from ...usecases import sign_in
from ..authentication import COOKIE, SignInLimiter
from ..operations import operation
from ..problems import problem
from ..request import caller, context

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
    try:
        body = SignIn.model_validate_json(request.get_data())
    except ValidationError:
        return problem(
            ProblemType.WRONG_PASSWORD,
            "Sign in with a name and a password.",
            hint='Send {"name": …, "password": …}.',
        )
    guard: SignInLimiter = current_app.extensions["fasciculus-guard"]
    address = str(request.remote_addr)
    is_known = users.has_signed_in(context().records.reader, body.name, address)
    if wait := guard.wait(body.name, is_known):
        log.warning("sign-in refused: too many tries, for %r from %s", body.name[:64], address)
        return _too_many(wait)
    with guard.slowly():
        person = sign_in.check_password(context(), body, address)
    if person is None:
        return problem(
            ProblemType.WRONG_PASSWORD, "The name or the password is wrong.", hint="Try again."
        )
    secret, csrf = sign_in.session_open(context(), person, address)
    guard.right(body.name, is_known)
    identity = Identity(name=person.name, csrf=csrf, must_change=person.must_change)
    return _with_cookie(Response(identity.model_dump_json(), mimetype="application/json"), secret)


def _from_here() -> bool:
    """Return whether a request comes from a page of this service, or from no page."""
    origin = request.headers.get("Origin")
    if origin is None:
        return True
    public = urlsplit(context().config.public_url).netloc
    return urlsplit(origin).netloc in filter(None, (request.host, public))


def _too_many(wait: int) -> Response:
    answer = problem(
        ProblemType.TOO_MANY_REQUESTS,
        "Too many failed sign-ins.",
        hint=f"Try again in {wait} seconds.",
    )
    answer.headers["Retry-After"] = str(wait)
    return answer


def _with_cookie(answer: Response, secret: str) -> Response:
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


@operation("GET", "/session", "The signed-in user", Permission.SIGNED_IN, response=Identity)
def session_show() -> Identity:
    return sign_in.session_show(caller())


@operation("DELETE", "/session", "Sign out", Permission.SIGNED_IN)
def session_close() -> Response:
    sign_in.session_close(caller(), request.cookies.get(COOKIE, ""))
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
    sign_in.password_change(caller(), body)


@operation("GET", "/tokens", "Your tokens", Permission.SIGNED_IN, response=Page[Token])
def tokens_list() -> Page[Token]:
    return sign_in.tokens_list(caller())


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
    return sign_in.tokens_add(caller(), body)


@operation("DELETE", "/tokens/{name}", "Remove a token", Permission.SIGNED_IN)
def tokens_remove(name: str) -> None:
    sign_in.tokens_remove(caller(), name)
