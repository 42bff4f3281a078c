"""Copies of the records on a store."""

from __future__ import annotations

from ..stores.base import Store


def remove_old_copies(store: Store, folder: str, kept: int) -> None:
    """Remove the oldest copies of the records beyond a number."""
    names = sorted(item.name for item in store.items(folder) if item.name.endswith(".records"))
    for old in names[:-kept]:
        store.remove(f"{folder}/{old}")
