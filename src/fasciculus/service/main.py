"""Starts and stops the service."""

from __future__ import annotations

import ctypes
import logging
import os
import secrets
import signal
import sys
import threading
from collections.abc import Mapping
from contextlib import suppress
from types import FrameType

from flask import Flask
from waitress.server import BaseWSGIServer, create_server

from .. import config as configuration
from ..config import Config
from ..core.errors import FasciculusError, SettingError
from ..records import users
from ..records.db import Records
from ..records.encryption import SecretCipher
from .app import create_app
from .background.housekeeping import Housekeeper
from .background.outbox import Outbox
from .background.scheduler import Scheduler
from .context import Context
from .event_stream import EventStream
from .reports.reporter import Reporter
from .tasks.previews import Previews
from .tasks.service import Tasks
from .tasks.worker_pool import WorkerPool

log = logging.getLogger("fasciculus")

ADMINISTRATOR = "administrator"
#: Of ``mallopt(3)``.
_M_ARENA_MAX = -8
_THREADS = 48
_LEAST_PASSWORD = 10


def build(config: Config, environment: Mapping[str, str] = os.environ) -> Context:
    """The parts of a service, not started yet. Makes the administrator on the first start."""
    for folder in (config.home, config.listings, config.spool):
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    records = Records(config.records)
    cipher = SecretCipher(config.key_file)
    events = EventStream()
    reporter = Reporter(config, records, events)
    outbox = Outbox(records, cipher, events)

    def ended(run_id: int) -> None:
        reporter.end(run_id)
        outbox.wake()

    def report(run_id: int) -> None:
        reporter.report(run_id)
        outbox.wake()

    workers = WorkerPool()
    tasks = Tasks(
        config, records, cipher, events, workers, ended, reporter, on_reported=outbox.wake
    )
    _first_start(records, environment)
    return Context(
        config=config,
        records=records,
        cipher=cipher,
        events=events,
        tasks=tasks,
        scheduler=Scheduler(records, tasks, report),
        outbox=outbox,
        previews=Previews(workers),
        housekeeper=Housekeeper(config, records, cipher, events, tasks.busy, tasks.verify_due),
    )


def _first_start(records: Records, environment: Mapping[str, str]) -> None:
    if users.count(records.reader):
        return
    given = environment.get("FASCICULUS_ADMIN_PASSWORD", "")
    if given and len(given) < _LEAST_PASSWORD:
        raise SettingError(
            "FASCICULUS_ADMIN_PASSWORD is too short.", f"Use at least {_LEAST_PASSWORD} characters."
        )
    password = given or secrets.token_urlsafe(12)
    with records.write() as db:
        users.add(db, ADMINISTRATOR, password, must_change=not given)
    if not given:
        # To the terminal, not to the log: logs are kept and sent on.
        print(
            f"First start. Sign in as “{ADMINISTRATOR}” with the one-time password: {password}",
            file=sys.stderr,
            flush=True,
        )


def start(parts: Context) -> None:
    """Begin to hand out, to schedule and to send."""
    parts.tasks.start()
    parts.scheduler.start()
    parts.outbox.start()
    parts.housekeeper.start()


def stop(parts: Context) -> None:
    """Stop in an order in which nothing new begins while the old ends."""
    parts.events.close()
    parts.scheduler.stop()
    parts.housekeeper.stop()
    parts.previews.stop()
    parts.tasks.stop()
    parts.outbox.stop()
    parts.records.close()


def _limit_arenas() -> None:
    """Let all threads share two heaps of the C library: each keeps what it once needed."""
    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).mallopt(_M_ARENA_MAX, 2)


def listen(app: Flask, config: Config) -> BaseWSGIServer:
    """The web server, bound to its address. Raises ``FasciculusError`` where that is taken."""
    try:
        return create_server(
            app,
            host=config.address,
            port=config.port,
            threads=_THREADS,
            ident=None,
            channel_timeout=300,
            asyncore_use_poll=True,
        )
    except OSError as error:
        raise FasciculusError(
            f"Port {config.port} on {config.address} cannot be used: {error.strerror}.",
            "Stop what uses it, or set FASCICULUS_PORT.",
        ) from error


def serve(config: Config) -> None:
    """Run the service until it is told to stop."""
    _limit_arenas()
    logging.basicConfig(
        level=logging.INFO,
        stream=sys.stderr,
        format="%(asctime)s %(levelname)s %(name)s: %(message)s",
    )
    logging.getLogger("paramiko").setLevel(logging.CRITICAL)
    parts = build(config)
    app = create_app(parts)
    server = listen(app, config)

    def finish(_number: int, _frame: FrameType | None) -> None:
        # Otherwise the server waits for open live views.
        parts.events.close()
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, finish)
    start(parts)
    log.info("serving on http://%s:%s/ with home %s", config.address, config.port, config.home)
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
        log.info("stopping")
        threading.Thread(target=server.close, daemon=True).start()
        stop(parts)


def main() -> int:
    try:
        serve(configuration.load())
    except FasciculusError as error:
        print(f"fasciculus: {error.sentence()}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
