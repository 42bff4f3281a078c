"""The parts of a running service."""

from __future__ import annotations

import socket
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ..config import Config
from ..records.db import Records
from ..records.secret_cipher import SecretCipher
from .downloads import Downloads
from .event_stream import EventStream
from .fleet.fleet import Fleet
from .stores.drive_access import DriveAccess
from .stores.store_status import StoreStatuses
from .tasks.previews import Previews
from .unwritten_sessions import UnwrittenSessions

if TYPE_CHECKING:
    from .background.housekeeping import Housekeeper
    from .background.loop import BackgroundLoop
    from .background.outbox import Outbox
    from .background.scheduler import Scheduler
    from .background.watch import Watch
    from .notifications.reporter import Reporter
    from .tasks.service import Tasks


@dataclass(slots=True)
class Context:
    """Everything behind the API."""

    config: Config
    records: Records
    cipher: SecretCipher
    events: EventStream
    tasks: Tasks
    scheduler: Scheduler
    outbox: Outbox
    reporter: Reporter
    watch: Watch
    previews: Previews
    housekeeper: Housekeeper
    access: DriveAccess
    statuses: StoreStatuses
    downloads: Downloads
    unwritten_sessions: UnwrittenSessions
    fleet: Fleet

    @property
    def loops(self) -> list[BackgroundLoop]:
        """Return the loops of all background work."""
        return [self.scheduler.loop, self.outbox.loop, self.housekeeper.loop, self.watch.loop]

    @property
    def base_url(self) -> str:
        """Return the service's public address without the final slash: the configured one, or the
        one that it listens on. It is never taken from a request, whose sender would otherwise
        choose where links lead.
        """
        config = self.config
        if config.public_url:
            return config.public_url.rstrip("/")
        address = socket.getfqdn() if config.address in ("0.0.0.0", "::", "") else config.address
        named = f"[{address}]" if ":" in address else address
        return f"http://{named}:{config.port}"
