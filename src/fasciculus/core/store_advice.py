"""Advice on stores, each with a hint."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from .formatting import format_list, format_size


@dataclass(frozen=True, slots=True)
class StoreFacts:
    """A store as advice sees it.

    ``same_disk`` says that it is on the disk of accounts; ``published`` is the site whose document
    root contains it; ``unprotected`` is what can be read on the way, such as “password and files”.
    ``room`` is what it holds and has free, None where it does not tell; ``old_versions`` are bytes
    that a bucket keeps though they were removed.
    """

    name: str
    on_this_machine: bool = False
    same_disk: bool = False
    published: str = ""
    unprotected: str = ""
    untried: bool = False
    room: int | None = None
    old_versions: int = 0


def of_store(store: StoreFacts) -> list[str]:
    """Return what is unwise about one store by itself."""
    rows = []
    if store.published:
        rows.append(
            f"Store {store.name} lies inside the document root of {store.published}: a web server "
            "may publish every bundle. Move it elsewhere."
        )
    if store.unprotected:
        rows.append(
            f"On the way to store {store.name}, {store.unprotected} can be read and changed. Use "
            "TLS, or SFTP."
        )
    if store.same_disk:
        rows.append(
            f"Store {store.name} is on the disk of the accounts: one broken disk destroys both. "
            "Use "
            "another disk at least."
        )
    elif store.on_this_machine:
        rows.append(
            f"Store {store.name} is on this machine: what takes the machine takes its copies. Keep "
            "copies on another store too."
        )
    if store.old_versions:
        rows.append(
            f"Store {store.name} keeps {format_size(store.old_versions)} of old versions of what "
            f"was removed. Remove them with their files (fasciculus stores change {store.name} "
            "--remove-versions), or let its provider do it after some days."
        )
    if store.untried:
        rows.append(
            f"Store {store.name} was never tried. Try it: fasciculus stores try {store.name}."
        )
    return rows


def of_stores(stores: Sequence[StoreFacts], packed: int, keep: int) -> list[str]:
    """Return what is unwise about the stores of a job whose full bundles take ``packed`` bytes."""
    rows = []
    if stores and all(store.on_this_machine for store in stores):
        names = format_list([store.name for store in stores])
        rows.append(
            f"All copies stay on this machine ({names}): if it is lost, so are they. "
            "Add a store on another machine."
        )
    for store in stores:
        rows += [row for row in of_store(store) if not (store.on_this_machine and "copies" in row)]
        if store.room is not None and packed * keep > store.room:
            rows.append(
                f"{keep} full copies of {format_size(packed)} are more than store {store.name} has "
                f"room for ({format_size(store.room)}). Keep fewer, or choose a larger store."
            )
    return rows
