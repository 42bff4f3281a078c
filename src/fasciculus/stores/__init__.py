"""How a store is reached: one protocol, several kinds of door."""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module

from ..core.errors import SettingError
from .base import Store, StoreSpec

#: The module and the class of each kind, imported when one is wanted.
_KINDS = {"folder": ("folder", "FolderStore"), "sftp": ("sftp", "SftpStore")}


def open_store(spec: StoreSpec) -> Store:
    """The store of a spec, not connected yet."""
    if spec.kind not in _KINDS:
        raise SettingError(
            f"There is no kind of store “{spec.kind}”.",
            f"Choose {' or '.join(_KINDS)}.",
            field="kind",
        )
    module, name = _KINDS[spec.kind]
    kind: Callable[[StoreSpec], Store] = getattr(import_module(f".{module}", __package__), name)
    return kind(spec)
