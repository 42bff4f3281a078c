"""Who is let in: sessions for the console, tokens for programs, and limits on guessing."""

from __future__ import annotations

import hmac
import time

from flask import Flask, Response, current_app, g, request
from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from ..models import FieldProblem, Problem
from ..records import users
from .context import context
from .operations import OPERATIONS, PREFIX

COOKIE = "fasciculus_session"
_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
_PER_NAME = RateLimitItemPerMinute(5)
_PER_ADDRESS = RateLimitItemPerMinute(30)
_NOTED_EVERY = 60.0
#: What somebody may do who must first choose a password.
_FIRST = frozenset({"session_show", "session_close", "password_change"})


class SignInLimiter:
    """Counts failed sign-ins, by name and by address."""

    def __init__(self) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())

    def wait(self, name: str) -> int:
        """Seconds to wait before another try is looked at; 0 when it may be looked at."""
        waits = [0.0]
        for item, key in self._keys(name):
            if not self._limiter.test(item, *key):
                waits.append(self._limiter.get_window_stats(item, *key).reset_time - time.time())
        return max(0, round(max(waits) + 0.5)) if max(waits) > 0 else 0

    def failed(self, name: str) -> None:
        for item, key in self._keys(name):
            self._limiter.hit(item, *key)

    @staticmethod
    def _keys(name: str) -> list[tuple[RateLimitItemPerMinute, tuple[str, ...]]]:
        address = request.remote_addr or "?"
        return [
            (_PER_NAME, ("name", name.lower()[:100], address)),
            (_PER_ADDRESS, ("address", address)),
        ]


def problem(
    status: int,
    title: str,
    detail: str = "",
    way_out: str = "",
    field: str | None = None,
    errors: list[FieldProblem] | None = None,
) -> Response:
    """An error as ``application/problem+json``."""
    body = Problem(
        title=title, status=status, detail=detail, way_out=way_out, field=field, errors=errors or []
    )
    return Response(body.model_dump_json(), status, mimetype="application/problem+json")


def install(app: Flask) -> None:
    """Close all of the API but what is registered as open."""
    app.extensions["fasciculus-guard"] = SignInLimiter()
    app.extensions["fasciculus-tokens"] = TokenUse()
    opened = {f"api.{operation.name}" for operation in OPERATIONS if operation.open}

    @app.before_request
    def let_in() -> Response | None:
        g.principal = None
        if not request.path.startswith(PREFIX) or request.endpoint in opened:
            return None
        principal, by_cookie = _identify()
        if principal is None:
            return problem(
                401,
                "Sign in first.",
                way_out="Give a token (Authorization: Bearer …), "
                "or sign in with POST /api/v1/session.",
            )
        if (
            by_cookie
            and request.method not in _SAFE
            and not hmac.compare_digest(
                request.headers.get("X-CSRF-Token", ""), principal.csrf or ""
            )
        ):
            return problem(
                403,
                "The X-CSRF-Token header is missing or wrong.",
                way_out="Take it from GET /api/v1/session.",
            )
        g.principal = principal
        if principal.must_change and (request.endpoint or "").removeprefix("api.") not in _FIRST:
            return problem(
                403,
                "Choose a password of your own first.",
                "The one-time password opens nothing else.",
                "POST /api/v1/session/password",
            )
        return None


def _identify() -> tuple[users.Principal | None, bool]:
    records = context().records
    kind, _, secret = request.headers.get("Authorization", "").partition(" ")
    if kind.lower() == "bearer" and secret:
        found = users.by_token(records.reader, secret.strip())
        if found is None:
            return None, False
        current_app.extensions["fasciculus-tokens"].note(found[1])
        return found[0], False
    cookie = request.cookies.get(COOKIE)
    return (users.by_session(records.reader, cookie), True) if cookie else (None, True)


class TokenUse:
    """When tokens were last used, to the minute: not a write for every call."""

    def __init__(self) -> None:
        self._noted: dict[int, float] = {}

    def note(self, token_id: int) -> None:
        moment = time.monotonic()
        if moment - self._noted.get(token_id, -_NOTED_EVERY) >= _NOTED_EVERY:
            self._noted[token_id] = moment
            with context().records.write() as db:
                users.token_used(db, token_id)
