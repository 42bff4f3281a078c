"""Trying a store step by step before it is trusted."""

from __future__ import annotations

from datetime import UTC, datetime

from ..core.bundle.layout import STORE_FILE
from ..core.errors import DamagedError, FasciculusError
from ..core.steps import Step
from .base import Store, read_all
from .identity import read_identity

_PAYLOAD = b"Fasciculus tries whether this folder can be written.\n"
_STEPS = ("write", "read", "remove", "identity")


def try_store(store: Store, store_id: str | None = None) -> list[Step]:
    """Connect, then write, read back and remove a file; stops at the first step that fails."""
    steps = store.steps()
    if not all(step.ok for step in steps):
        return steps
    try:
        _try_file(store, steps)
        steps.append(Step("identity", True, _identity(store, store_id)))
    except FasciculusError as error:
        done = {step.name for step in steps}
        failed = next(name for name in _STEPS if name not in done)
        steps.append(Step(failed, False, error.message, error.way_out))
    return steps


def _try_file(store: Store, steps: list[Step]) -> None:
    probe = f".fasciculus-try-{datetime.now(UTC):%Y%m%dT%H%M%S%f}"
    store.put_bytes(_PAYLOAD, probe)
    steps.append(Step("write", True, "A file can be written."))
    if read_all(store, probe) != _PAYLOAD:
        raise DamagedError("The file read back differs from what was written.")
    steps.append(Step("read", True, "It reads back the same."))
    store.remove(probe)
    steps.append(Step("remove", True, "It can be removed."))


def _identity(store: Store, store_id: str | None) -> str:
    if store.size(STORE_FILE) is None:
        return "The folder is free to use."
    found = read_identity(store)
    if store_id and found != store_id:
        raise DamagedError(
            f"The folder belongs to another store (id {found}).",
            "Name another folder, or remove its fasciculus-store.json if it is yours to use.",
        )
    return f"The folder holds the store {found}."
