"""Authentication: sessions for the console, tokens for programs, and limits on guessing."""

from __future__ import annotations

import hmac
import ipaddress
import math
import threading
import time
from contextlib import AbstractContextManager, suppress

from flask import Flask, Response, current_app, g, request
from limits import RateLimitItem, RateLimitItemPerHour, RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from ...core.permissions import Permission
from ...core.scope import Scope
from ...models import ProblemType
from ...records import users
from ...records.db import UnwritableError
from .operations import OPERATIONS, PREFIX, Operation
from .problems import problem
from .request import context

COOKIE = "fasciculus_session"
_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
_PER_NAME = RateLimitItemPerMinute(5)
_PER_ADDRESS = RateLimitItemPerMinute(30)
_FROM_ANYWHERE = RateLimitItemPerHour(60)
_AT_ONCE = 2
_NOTED_EVERY = 60.0
#: Operations allowed before the initial password is replaced.
_FIRST = frozenset({"session_show", "session_close", "password_change"})


class SignInLimiter:
    """A limit on sign-in attempts: by address, by name and address, and only by name.

    A try counts before its password is looked at, so that many at once do not slip through, and
    counts no more when it was right. The limit by name does not apply to addresses from which that
    user has signed in before.
    """

    def __init__(self) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())
        #: A password's hash takes 32 MiB and a core for a while.
        self._at_once = threading.Semaphore(_AT_ONCE)

    def wait(self, name: str, is_known: bool) -> int:
        """Count a try. Seconds to wait where there were too many, 0 when it may be looked at."""
        for item, key in self._keys(name, is_known):
            if not self._limiter.hit(item, *key):
                left = self._limiter.get_window_stats(item, *key).reset_time - time.time()
                return max(1, math.ceil(left))
        return 0

    def right(self, name: str, is_known: bool) -> None:
        """Forget the failed attempts of a user who has signed in."""
        for item, key in self._keys(name, is_known):
            self._limiter.clear(item, *key)

    def slowly(self) -> AbstractContextManager[object]:
        """For as long as a password is looked at."""
        return self._at_once

    @staticmethod
    def _keys(name: str, is_known: bool) -> list[tuple[RateLimitItem, tuple[str, ...]]]:
        address, name = network_of(request.remote_addr or "?"), name.lower()[:100]
        keys: list[tuple[RateLimitItem, tuple[str, ...]]] = [
            (_PER_NAME, ("name", name, address)),
            (_PER_ADDRESS, ("address", address)),
        ]
        if not is_known:
            keys.append((_FROM_ANYWHERE, ("anywhere", name)))
        return keys


def network_of(address: str) -> str:
    """Return the network that counts as one person: one IPv4 address, or a /64 of IPv6."""
    try:
        found = ipaddress.ip_address(address)
    except ValueError:
        return address
    if isinstance(found, ipaddress.IPv6Address) and found.ipv4_mapped is None:
        return str(ipaddress.ip_network((found, 64), strict=False))
    return str(found)


def install(app: Flask) -> None:
    """Close all of the API but what is registered as open."""
    app.extensions["fasciculus-guard"] = SignInLimiter()
    app.extensions["fasciculus-tokens"] = TokenUse()
    known = {f"api.{operation.name}": operation for operation in OPERATIONS}

    @app.before_request
    def let_in() -> Response | None:
        g.principal = None
        operation = known.get(request.endpoint or "")
        permission = operation.permission if operation is not None else None
        if not request.path.startswith(PREFIX) or permission is Permission.PUBLIC:
            return None
        principal, by_cookie = _identify()
        if principal is None:
            return problem(
                ProblemType.NOT_SIGNED_IN,
                "Sign in first.",
                hint="Give a token (Authorization: Bearer …), "
                "or sign in with POST /api/v1/session.",
            )
        if (
            by_cookie
            and request.method not in _SAFE
            and not hmac.compare_digest(
                request.headers.get("X-CSRF-Token", "").encode(), (principal.csrf or "").encode()
            )
        ):
            return problem(
                ProblemType.CSRF_TOKEN_REQUIRED,
                "The X-CSRF-Token header is missing or wrong.",
                hint="Take it from GET /api/v1/session.",
            )
        g.principal = principal
        if principal.must_change and (request.endpoint or "").removeprefix("api.") not in _FIRST:
            return problem(
                ProblemType.PASSWORD_CHANGE_REQUIRED,
                "Choose a password of your own first.",
                "The initial password opens nothing else.",
                "POST /api/v1/session/password",
            )
        if permission is not None and permission not in principal.permissions:
            return problem(
                ProblemType.NOT_PERMITTED,
                f"You may not do this: it needs the permission “{permission}”.",
                hint="Ask an administrator.",
            )
        if operation is not None and not _fits(operation, principal.scope):
            return problem(
                ProblemType.NOT_PERMITTED,
                "You may not do this: it concerns more than your accounts.",
                hint="Ask an administrator.",
            )
        return None


def _fits(operation: Operation, scope: Scope) -> bool:
    """Return whether a user of a scope may use an operation at all."""
    own = (Permission.PUBLIC, Permission.SIGNED_IN)
    return scope.is_everything or operation.scoped or operation.permission in own


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
    if not cookie:
        return None, True
    unwritten = context().unwritten_sessions
    return unwritten.find(records.reader, cookie) or users.by_session(records.reader, cookie), True


class TokenUse:
    """The last use of tokens, to the minute, so that not every call writes."""

    def __init__(self) -> None:
        self._noted: dict[int, float] = {}

    def note(self, token_id: int) -> None:
        """Note that a token was used."""
        moment = time.monotonic()
        if moment - self._noted.get(token_id, -_NOTED_EVERY) >= _NOTED_EVERY:
            self._noted[token_id] = moment
            # What it opens must be reached while the disk is full.
            with suppress(UnwritableError), context().records.write() as db:
                users.token_used(db, token_id)
