"""The program of a worker: it reports for work and takes orders until the service ends it."""

from __future__ import annotations

import logging
import os
import signal
import socket
import threading
import warnings
from pathlib import Path
from types import FrameType
from typing import Any

import msgspec
from celery.exceptions import SecurityWarning
from celery.signals import setup_logging

from .. import __version__
from ..broker import TAKE, application, queue_of
from ..contracts.fleet import Dispatch, Hello, Welcome, decode_dispatch
from ..contracts.sealed_secrets import WorkerIdentity
from ..worker.pool import WorkerPool
from .enrolment import Enrolment, unsealed_order
from .service_link import RefusedByServiceError, ServiceLink, SilentServiceError
from .taking import Taking

log = logging.getLogger(__name__)

#: How often the service hears of the worker, in seconds.
_HELLO_EVERY = 3.0


class Agent:
    """A worker of one service, on this machine."""

    def __init__(self, enrolment: Enrolment, home: Path, slots: int) -> None:
        self._enrolment, self._slots = enrolment, slots
        self._folders = {"home": str(home / "home"), "spool": str(home / "spool")}
        self._stop = threading.Event()
        self._link = ServiceLink(enrolment, self._stop)
        self._identity = WorkerIdentity(enrolment.identity)
        self._pool = WorkerPool()
        self._lock = threading.Lock()
        self._under_way: set[str] = set()
        #: Why the service refuses it.
        self.refusal = ""

    def run(self) -> None:
        """Take orders until SIGTERM, or until the service lets it drain or refuses it."""
        if self._greet():
            return
        threading.Thread(target=self._keep_greeting, daemon=True).start()
        self._pool.warm_up()
        app = application(self._enrolment.broker)
        setup_logging.connect(_keep_logging, weak=False)
        # Root is warned of pickled tasks, which are not accepted here.
        warnings.filterwarnings("ignore", category=SecurityWarning)
        app.task(self._take, name=TAKE)
        consumer = app.Worker(
            pool="threads",
            concurrency=self._slots,
            queues=[queue_of(self._enrolment.worker)],
            without_gossip=True,
            without_mingle=True,
            without_heartbeat=True,
            hostname=f"{self._enrolment.name}@%h",
            loglevel="WARNING",
            quiet=True,
        )
        log.info("worker %s takes orders of queue %s", self._enrolment.name, self._enrolment.queue)
        try:
            consumer.start()
        finally:
            self._stop.set()
            self._pool.close()
            self._link.close()

    # Being there ---------------------------------------------------------------------

    def _greet(self) -> bool:
        """Say that it is there; return whether it is to end."""
        with self._lock:
            leases = sorted(self._under_way)
        hello = Hello(__version__, socket.gethostname()[:200], self._slots, leases)
        try:
            drains = self._link.ask(hello, Welcome).drains
        except SilentServiceError as error:
            log.warning("%s", error.sentence())
            return False
        except RefusedByServiceError as error:
            self.refusal = error.sentence()
            log.error("%s", self.refusal)
            return True
        if drains and not leases:
            # The service gives it no further orders.
            log.info("the service lets this worker drain, and nothing is under way any more")
            return True
        return False

    def _keep_greeting(self) -> None:
        while not self._stop.wait(_HELLO_EVERY):
            if self._greet():
                os.kill(os.getpid(), signal.SIGTERM)
                return

    # Orders --------------------------------------------------------------------------

    def _take(self, sealed: str) -> None:
        """Carry out an order that the broker brought; anything else is dropped."""
        try:
            dispatch = decode_dispatch(unsealed_order(self._enrolment, sealed))
        except (ValueError, TypeError, msgspec.MsgspecError):
            log.warning("the broker brought what is no order of the service")
            return
        with self._lock:
            if dispatch.lease in self._under_way:
                return
            self._under_way.add(dispatch.lease)
            threads = max(1, (os.cpu_count() or 1) // len(self._under_way))
        try:
            self._taking(dispatch, threads).run()
        except Exception:
            log.exception("task %s", dispatch.lease)
        finally:
            with self._lock:
                self._under_way.discard(dispatch.lease)

    def _taking(self, dispatch: Dispatch, threads: int) -> Taking:
        return Taking(dispatch, self._link, self._pool, self._identity, self._folders, threads)


def _keep_logging(**_: Any) -> None:
    """Stop Celery from changing the logs."""


def run(enrolment: Enrolment, home: Path, slots: int) -> str:
    """Be a worker until it ends; return why the service refuses it, empty if it does not."""
    agent = Agent(enrolment, home, slots)

    def ask_to_end(_number: int, _frame: FrameType | Any) -> None:
        raise SystemExit(0)

    signal.signal(signal.SIGTERM, ask_to_end)
    agent.run()
    return agent.refusal
