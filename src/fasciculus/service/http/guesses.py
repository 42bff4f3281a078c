"""Limits on wrong secrets; they never delay callers with a right one."""

from __future__ import annotations

from flask import Flask, Response, current_app, request
from limits import RateLimitItemPerMinute
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from ...models import ProblemType
from .authentication import network_of
from .problems import problem

_WRONG = RateLimitItemPerMinute(10)
_KEY = "fasciculus-guesses"


def install(app: Flask) -> None:
    """Count the wrong secrets of an application: of start addresses, calendar feed and metrics."""
    app.extensions[_KEY] = MovingWindowRateLimiter(MemoryStorage())


def refused(answer: Response) -> Response:
    """Count a wrong secret, and return the answer to it, or 429 after too many."""
    limiter: MovingWindowRateLimiter = current_app.extensions[_KEY]
    if limiter.hit(_WRONG, "wrong", network_of(request.remote_addr or "?")):
        return answer
    answer = problem(
        ProblemType.TOO_MANY_REQUESTS, "Too many wrong secrets.", hint="Try again in a minute."
    )
    answer.headers["Retry-After"] = "60"
    return answer
