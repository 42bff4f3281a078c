"""Trying again while a connection is lost."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import TypeVar

from ..core.errors import ConnectionLostError
from .base import Store

_ATTEMPTS = 4
_FIRST_WAIT = 0.5
_T = TypeVar("_T")


def persist(
    store: Store, action: Callable[[], _T], stop: threading.Event, on_retry: Callable[[str], None]
) -> _T:
    """Try an action on a store again while the connection is lost; all else is final."""
    wait = _FIRST_WAIT
    for attempt in range(1, _ATTEMPTS + 1):
        try:
            store.connect()
            return action()
        except ConnectionLostError as error:
            if attempt == _ATTEMPTS or stop.is_set():
                raise
            on_retry(f"Store “{store.spec.name}”: {error.message} Trying again.")
            stop.wait(wait)
            wait *= 4
    raise AssertionError("unreachable")
