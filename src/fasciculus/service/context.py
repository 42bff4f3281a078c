"""The parts of a running service, handed to whoever needs them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from flask import current_app

from ..config import Config
from ..records.db import Records
from ..records.encryption import SecretCipher
from .event_stream import EventStream
from .tasks.previews import Previews

if TYPE_CHECKING:
    from .background.housekeeping import Housekeeper
    from .background.outbox import Outbox
    from .background.scheduler import Scheduler
    from .tasks.caretaker import Caretaker
    from .tasks.dispatcher import Dispatcher


@dataclass(slots=True)
class Context:
    """Everything behind the API."""

    config: Config
    records: Records
    cipher: SecretCipher
    events: EventStream
    dispatcher: Dispatcher
    scheduler: Scheduler
    outbox: Outbox
    previews: Previews
    caretaker: Caretaker
    housekeeper: Housekeeper


def context() -> Context:
    """The parts of the service that answers the current request."""
    found: Context = current_app.extensions["fasciculus"]
    return found
