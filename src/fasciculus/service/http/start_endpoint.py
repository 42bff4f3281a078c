"""``/start/SECRET``: start addresses, which start a job from outside."""

from __future__ import annotations

import ipaddress
import logging
import threading
import time
from collections.abc import Callable
from contextlib import suppress

from flask import Flask, Response, request
from limits import RateLimitItemPerHour
from limits.storage import MemoryStorage
from limits.strategies import MovingWindowRateLimiter

from ...models import ProblemType, StartedFromOutside
from ...records import users
from ...records.db import UnwritableError
from ...records.jobs import start_addresses
from ...records.jobs.start_addresses import digest
from ...records.runs import runs
from ..tasks.backups import AlreadyRunningError, RunStart
from ..usecases.jobs.start_addresses import PATH
from . import guesses
from .operations import PREFIX
from .problems import problem
from .request import context

log = logging.getLogger(__name__)

_LONGEST_WAIT = 300
#: Callers that may wait at the same time: each holds one of the web server's threads.
_WAITING = 4
_ASK_EVERY = 0.25
_GOOD = ("done", "warned")


class StartEndpoint:
    """Starts jobs by their secret addresses, not more often than each allows."""

    def __init__(self) -> None:
        self._limiter = MovingWindowRateLimiter(MemoryStorage())
        self._waiting = threading.Semaphore(_WAITING)

    def install(self, app: Flask) -> None:
        """Answer POST of addresses. Browsers and chat programs that look ahead use GET."""
        app.add_url_rule(
            f"{PATH}<secret>", "start", self.start, methods=["GET", "POST", "PUT", "DELETE"]
        )

    def start(self, secret: str) -> Response:
        """Start the job of an address; with ``wait``, answer when it has ended or that is over."""
        if request.method != "POST":
            answer = problem(
                ProblemType.METHOD_NOT_ALLOWED,
                "Start it by POST.",
                hint="curl --request POST ADDRESS",
            )
            answer.headers["Allow"] = "POST, OPTIONS"
            return answer
        found = start_addresses.find(context().records.reader, secret)
        if found is None or not found[1].enabled or not _from_one_of(found[1].networks):
            return self._refused()
        job, address = found
        item = RateLimitItemPerHour(address.per_hour)
        if not self._limiter.test(item, "job", digest(secret)):
            left = self._limiter.get_window_stats(item, "job", digest(secret)).reset_time
            return _too_many(max(1, int(left - time.time())))
        try:
            seconds = min(max(int(request.values.get("wait", "0")), 0), _LONGEST_WAIT)
        except ValueError:
            return problem(
                ProblemType.INVALID_VALUE, "wait: give seconds, such as 60.", field="wait"
            )
        return self._started(job, seconds, lambda: self._limiter.hit(item, "job", digest(secret)))

    def _refused(self) -> Response:
        """Return the same answer for an address that there is not, is off, or is not for the
        caller: nobody learns from it which addresses there are. Callers that guess must wait;
        callers with a valid address are not delayed.
        """
        log.warning("a start from outside was refused, from %s", request.remote_addr)
        return guesses.refused(
            problem(ProblemType.NOT_FOUND, "There is no such address.", hint="Was it replaced?")
        )

    def _started(self, job: str, seconds: int, count: Callable[[], object]) -> Response:
        """Start a job; only a start that was one counts against the limit."""
        key = request.headers.get("Idempotency-Key")
        try:
            run = context().tasks.start_run(RunStart(job, "an address from outside", key))
        except AlreadyRunningError as error:
            answer = problem(
                ProblemType.ALREADY_RUNNING,
                error.message,
                hint="The run continues. Start the job again when it has ended.",
            )
            answer.headers["Location"] = _place(error.run_id)
            return answer
        count()
        with suppress(UnwritableError), context().records.write() as db:
            start_addresses.used(db, job)
            users.audit(db, "an address", "started job", f"{job} from {request.remote_addr}")
        if seconds and self._waiting.acquire(blocking=False):
            try:
                _wait(run, seconds)
            finally:
                self._waiting.release()
        return _answer(run)


def _from_one_of(networks: list[str]) -> bool:
    """Return whether the caller's address is in one of the networks, or there are no networks."""
    if not networks:
        return True
    try:
        caller = ipaddress.ip_address(request.remote_addr or "")
    except ValueError:
        return False
    if isinstance(caller, ipaddress.IPv6Address) and caller.ipv4_mapped:
        caller = caller.ipv4_mapped
    return any(caller in ipaddress.ip_network(network) for network in networks)


def _too_many(seconds: int) -> Response:
    answer = problem(
        ProblemType.TOO_MANY_REQUESTS, "Too many starts.", hint=f"Try again in {seconds} seconds."
    )
    answer.headers["Retry-After"] = str(seconds)
    return answer


def _wait(run: int, seconds: int) -> None:
    deadline = time.monotonic() + seconds
    pause = threading.Event()
    while time.monotonic() < deadline:
        if runs.summary(context().records.reader, run).state == "ended":
            return
        pause.wait(_ASK_EVERY)


def _place(run: int) -> str:
    base = context().config.public_url.rstrip("/")
    return f"{base}/#/runs/{run}" if base else f"{PREFIX}/runs/{run}"


def _answer(run_id: int) -> Response:
    run = runs.summary(context().records.reader, run_id)
    body = StartedFromOutside(
        run=run.id, url=_place(run.id), state=run.state, outcome=run.outcome, sentence=run.sentence
    )
    # Programs such as curl --fail check only the status.
    status = 202 if run.state != "ended" else 200 if run.outcome in _GOOD else 500
    answer = Response(body.model_dump_json(), status, mimetype="application/json")
    answer.headers["Location"] = body.url
    answer.headers["Cache-Control"] = "no-store"
    return answer
