"""Asking the owners of drives for access, and what they answered."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass

from ...contracts.orders import StoreOrder
from ...core.errors import SettingError, UnreachableError
from ...models import StoreAccess
from ...stores import KINDS
from ...stores.access import DeviceRequest
from ...stores.base import AccessFlow
from .. import outside


@dataclass(slots=True)
class _Asked:
    request: DeviceRequest
    ends: float
    next_look: float
    refusal: str = ""


class DriveAccess:
    """The pending requests, by the id of the store. A restart forgets it: one asks again."""

    def __init__(self) -> None:
        self._asked: dict[str, _Asked] = {}
        self._lock = threading.Lock()

    def ask(self, store: StoreOrder) -> StoreAccess:
        """Begin to ask for access to a store. Raises ``SettingError`` for a kind without such."""
        spec = store.spec()
        request = outside.call(_flow(store).request, spec)
        now = time.monotonic()
        with self._lock:
            self._asked[store.store_id] = _Asked(
                request, now + request.seconds, now + request.interval
            )
        return _waiting(request)

    def state(self, store: StoreOrder) -> StoreAccess:
        """Return the state; asks the drive, but not more often than it allows."""
        flow, spec = _flow(store), store.spec()
        assert spec.tokens is not None
        with self._lock:
            asked = self._asked.get(store.store_id)
            if asked is None:
                if spec.tokens.load() is None:
                    return StoreAccess(state="none", text="Access was not given yet.")
                return StoreAccess(state="given", text="Its owner has given access.")
            if asked.refusal:
                return StoreAccess(state="refused", text=asked.refusal)
            now = time.monotonic()
            if now < asked.next_look:
                return _waiting(asked.request)
            asked.next_look = now + asked.request.interval
            try:
                tokens = outside.call(flow.fetch, spec, asked.request)
            except UnreachableError as error:
                asked.refusal = error.sentence()
                return StoreAccess(state="refused", text=asked.refusal)
            if tokens is None:
                if now < asked.ends:
                    return _waiting(asked.request)
                asked.refusal = "Nobody has confirmed the code in time. Connect the store again."
                return StoreAccess(state="refused", text=asked.refusal)
            spec.tokens.save(tokens)
            del self._asked[store.store_id]
        return StoreAccess(state="given", text="Its owner has given access.")

    def forget(self, store: StoreOrder) -> None:
        """Remove the tokens here; the owner can also revoke the access at the drive."""
        _flow(store)
        with self._lock:
            self._asked.pop(store.store_id, None)
            if (tokens := store.spec().tokens) is not None:
                tokens.remove()


def _flow(store: StoreOrder) -> AccessFlow:
    found = KINDS.get(store.spec().settings.kind).access
    if found is None:
        raise SettingError(
            f"Store “{store.name}” signs in with its own secrets.",
            "Only drives are connected by their owner.",
        )
    return found


def _waiting(request: DeviceRequest) -> StoreAccess:
    return StoreAccess(
        state="waiting",
        text=f"Open {request.address} and enter the code {request.user_code}.",
        address=request.address,
        code=request.user_code,
        interval=request.interval,
    )
