"""Starts and stops the service."""

from __future__ import annotations

import ctypes
import logging
import os
import signal
import sys
import threading
from collections.abc import Mapping
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from types import FrameType

from .. import config as configuration
from ..config import Config
from ..core.errors import FasciculusError, SettingError
from ..records import settings, users
from ..records.db import Records
from ..records.secret_cipher import SecretCipher, read_key
from ..records.stores import store_days, stores
from ..worker.pool import WorkerPool
from . import log_output, outside
from .background import digests
from .background.housekeeping import Housekeeper
from .background.outbox import Outbox
from .background.scheduler import Scheduler
from .background.watch import Watch
from .context import Context
from .downloads import Downloads
from .event_stream import EventStream
from .fleet.fleet import Fleet
from .fleet.routing import RoutedWorkers
from .http.app import create_app
from .http.web_server import listen
from .initial_password import ADMINISTRATOR, make_password, tell
from .monitoring.store_answers import StoreAnswers
from .notifications.reporter import Reporter
from .stores.drive_access import DriveAccess
from .stores.store_status import StoreStatuses
from .systemd import SystemdNotifier
from .tasks.orders.connections import SERVICE_ID
from .tasks.previews import Previews
from .tasks.service import Tasks
from .unwritten_sessions import UnwrittenSessions

log = logging.getLogger("fasciculus")

#: Of ``mallopt(3)``.
_M_ARENA_MAX = -8
_LEAST_PASSWORD = 10
#: Seconds within which a stopping service ends, whatever it does.
_LONGEST_STOP = 12.0
#: The variable with the administrator's password for the first start.
PASSWORD = "FASCICULUS_ADMIN_PASSWORD"


def build(config: Config, environment: Mapping[str, str] = os.environ) -> Context:
    """Return the parts of a service, not started yet. Makes the administrator on the
    first start.
    """
    records, cipher = _opened(config)
    events = EventStream()
    reporter = Reporter(config, records, cipher, events)
    outbox = Outbox(
        records, cipher, events, reporter.messages.fallback_channel, config.webhook_networks
    )

    def ended(run_id: int) -> None:
        reporter.end(run_id)
        with records.write() as db:
            store_days.weigh(db)
        outbox.wake()

    def report(run_id: int) -> None:
        reporter.report(run_id)
        outbox.wake()

    fleet = Fleet(config, records, cipher)
    workers = RoutedWorkers(WorkerPool(), fleet)
    tasks = Tasks(
        config,
        records,
        cipher,
        events,
        workers,
        ended,
        lambda job: housekeeper.job_started(job),
        reporter,
        on_reported=outbox.wake,
        slots=fleet.slots,
    )
    _first_start(config.home, records, environment)
    scheduler = Scheduler(records, tasks, report)
    statuses = StoreStatuses(records, cipher)

    def send_digests(now: datetime) -> None:
        if digests.send_due(records, cipher, reporter, now):
            outbox.wake()

    housekeeper = Housekeeper(
        config,
        records,
        cipher,
        events,
        tasks.busy,
        tasks.verify_due,
        tasks.catch_up,
        tasks.drop_expired,
    )
    watch = Watch(
        config,
        records,
        cipher,
        events,
        scheduler,
        statuses,
        StoreAnswers(config, records, cipher),
        tell=reporter.alerts,
        told=outbox.wake,
        send_digests=send_digests,
    )
    watch.look_after([scheduler.loop, outbox.loop, housekeeper.loop])
    return Context(
        config=config,
        records=records,
        cipher=cipher,
        events=events,
        tasks=tasks,
        scheduler=scheduler,
        outbox=outbox,
        reporter=reporter,
        watch=watch,
        previews=Previews(workers),
        housekeeper=housekeeper,
        access=DriveAccess(),
        statuses=statuses,
        downloads=Downloads(),
        unwritten_sessions=UnwrittenSessions(),
        fleet=fleet,
    )


def _opened(config: Config) -> tuple[Records, SecretCipher]:
    """Return the records and the key of their secrets, both made on the first start."""
    for folder in (config.home, config.listings, config.spool):
        folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    records = Records(config.records)
    if users.count(records.reader):
        # A new one would be made without a word, and open nothing.
        read_key(config.key_file)
    with records.write() as db:
        if not settings.get(db, SERVICE_ID):
            settings.put(db, SERVICE_ID, stores.new_id())
    return records, SecretCipher(config.key_file)


def _first_start(home: Path, records: Records, environment: Mapping[str, str]) -> None:
    if users.count(records.reader):
        tell(home)
        return
    given = environment.get(PASSWORD, "")
    if given and len(given) < _LEAST_PASSWORD:
        raise SettingError(
            "FASCICULUS_ADMIN_PASSWORD is too short.", f"Use at least {_LEAST_PASSWORD} characters."
        )
    password = given or make_password(home)
    with records.write() as db:
        users.add(db, ADMINISTRATOR, password, must_change=not given)
    tell(home, password)


def start(parts: Context) -> None:
    """Begin to hand out, to schedule and to send."""
    parts.fleet.start()
    parts.tasks.start()
    parts.scheduler.start()
    parts.outbox.start()
    parts.housekeeper.start()
    parts.watch.start()


def stop(parts: Context) -> None:
    """Stop in an order in which nothing new begins while the old ends."""
    parts.events.close()
    parts.watch.stop()
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


def _hide_password() -> dict[str, str]:
    """Return the environment, and blank the administrator's password in that of the process, where
    root could read it for as long as the service runs (``proc_pid_environ(5)``).
    """
    environment = dict(os.environ)
    if PASSWORD in environment:
        library = ctypes.CDLL(None)
        library.getenv.restype = ctypes.c_void_p
        before = len(PASSWORD) + 1
        begin = library.getenv(PASSWORD.encode()) - before
        del os.environ[PASSWORD]
        ctypes.memset(begin, 0, before + len(os.fsencode(environment[PASSWORD])))
    return environment


def serve(config: Config) -> None:
    """Run the service until it is stopped."""
    environment = _hide_password()
    _limit_arenas()
    log_output.set_up(config)
    parts = build(config, environment)
    app = create_app(parts)
    server = listen(app, config)

    def finish(_number: int, _frame: FrameType | None) -> None:
        # Otherwise the server waits for open live views.
        parts.events.close()
        raise KeyboardInterrupt

    signal.signal(signal.SIGTERM, finish)
    start(parts)
    threading.Thread(target=outside.warm_up, daemon=True).start()
    notifier = SystemdNotifier(lambda: parts.scheduler.alive and parts.tasks.alive)
    log.info("serving on http://%s:%s/ with home %s", config.address, config.port, config.home)
    # The socket listens already: what comes now is answered.
    notifier.ready()
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        notifier.stopping()
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
        log.info("stopping")
        # Whatever holds it up: workers end with the service, and the next start puts things right.
        last = threading.Timer(_LONGEST_STOP, os._exit, (0,))
        last.daemon = True
        last.start()
        threading.Thread(target=server.close, daemon=True).start()
        stop(parts)


def main() -> int:
    """Run the service until it is stopped; return the exit code."""
    try:
        serve(configuration.load())
    except FasciculusError as error:
        print(f"fasciculus: {error.sentence()}", file=sys.stderr)
        return 2
    return 0


if __name__ == "__main__":
    sys.exit(main())
