"""Asks the stores of jobs every quarter of an hour whether they answer, and are what they were."""

from __future__ import annotations

import logging
import threading
import time

from ...config import Config
from ...core.errors import FasciculusError
from ...models.stores import StoreFields
from ...records import settings
from ...records.db import Records
from ...records.jobs import jobs
from ...records.secret_cipher import SecretCipher
from ...records.stores import stores
from ...stores import KINDS
from ...stores.base import StoreSettings
from .. import outside
from ..stores.store_work import check_store
from ..tasks.orders.connections import OrderInputs, store_order

log = logging.getLogger(__name__)

_KEY = "stores.unanswered"
_EVERY = 900.0
#: Seconds after which a store that is being asked counts as one that does not answer.
_LONG = 300.0


class StoreAnswers:
    """The stores that did not answer the last check.

    They are checked in a separate thread: a hanging network share must not delay anything else. A
    disk that is mounted for each use is not asked.
    """

    def __init__(self, config: Config, records: Records, cipher: SecretCipher) -> None:
        self._config, self._records, self._cipher = config, records, cipher
        self._asked: float | None = None
        self._thread: threading.Thread | None = None
        #: Which store is being asked, and since when.
        self._now: tuple[str, float] | None = None

    def ask_if_due(self) -> None:
        """Begin to ask all stores, unless that was done lately or still goes on."""
        if self._thread is not None and self._thread.is_alive():
            return
        if self._asked is not None and time.monotonic() - self._asked < _EVERY:
            return
        self._asked = time.monotonic()
        self._thread = threading.Thread(target=self._ask_all, name="store-answers", daemon=True)
        self._thread.start()

    def troubles(self) -> dict[str, str]:
        """By the name of each store that does not answer, why."""
        found: dict[str, str] = dict(settings.get(self._records.reader, _KEY) or {})
        now = self._now
        if now is not None and time.monotonic() - now[1] > _LONG:
            found[now[0]] = "It hangs."
        return found

    def _ask_all(self) -> None:
        try:
            self.ask()
        except Exception:
            log.exception("the stores could not be asked; they are asked again")

    def ask(self) -> None:
        """Ask all stores, and note which of them do not answer."""
        sources = OrderInputs(self._config, self._records.reader, self._cipher)
        found: dict[str, str] = {}
        for name in self._names():
            self._now = (name, time.monotonic())
            try:
                outside.call_within(_LONG, check_store, store_order(sources, name))
            except Exception as error:
                # Whatever a server does, the next store is asked too.
                found[name] = error.sentence() if isinstance(error, FasciculusError) else str(error)
                log.info("store %s does not answer: %s", name, found[name])
            finally:
                self._now = None
        if found != settings.get(self._records.reader, _KEY, {}):
            with self._records.write() as db:
                settings.put(db, _KEY, found)

    def _names(self) -> list[str]:
        """Return the stores that jobs need."""
        db = self._records.reader
        used = {name for job in jobs.jobs(db) if job.enabled for name in job.stores}
        copying = stores.copying(db)
        used |= {store.name for store in copying} | {store.copy_from for store in copying}
        fresh = set(stores.untried(db, used))
        return [name for name in sorted(used - fresh) if _can_be_asked(stores.fields(db, name))]


def _can_be_asked(store: StoreFields) -> bool:
    try:
        found = KINDS.parse(store.settings.model_dump())
    except (FasciculusError, ValueError):
        # What is wrong with it is said when it is asked.
        return True
    return isinstance(found, StoreSettings) and found.always_there()
