"""How a store is reached: one protocol, several kinds of door."""

from __future__ import annotations

from collections.abc import Callable

from ..core.errors import BadSetting
from .base import Store, StoreSpec
from .folder import FolderStore
from .sftp import SftpStore

_KINDS: dict[str, Callable[[StoreSpec], Store]] = {"folder": FolderStore, "sftp": SftpStore}


def open_store(spec: StoreSpec) -> Store:
    """The store of a spec, not connected yet."""
    if spec.kind not in _KINDS:
        raise BadSetting(
            f"There is no kind of store “{spec.kind}”.", f"Choose {' or '.join(_KINDS)}.",
            field="kind",
        )
    return _KINDS[spec.kind](spec)
