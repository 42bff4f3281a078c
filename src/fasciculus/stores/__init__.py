"""Stores: one protocol, one file for each kind.

A new kind is a module with a :class:`~fasciculus.stores.base.StoreKind`, and its line in ``KINDS``
or an entry point of the group ``fasciculus.stores``; see ``docs/adding-a-store-kind.md``.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from ..registry import Registry

if TYPE_CHECKING:
    from .access import TokenFile
    from .base import Store, StoreKind, StoreSpec

KINDS: Registry[StoreKind] = Registry(
    "kind of store",
    "fasciculus.stores",
    {
        "folder": f"{__name__}.folder:KIND",
        "sftp": f"{__name__}.sftp:KIND",
        "ftp": f"{__name__}.ftp:KIND",
        "s3": f"{__name__}.s3:KIND",
        "webdav": f"{__name__}.webdav:KIND",
        "drive": f"{__name__}.drive:KIND",
    },
    refused=dict.fromkeys(
        ("mailbox", "mail", "email", "imap", "smtp"),
        "A mailbox is no store: messages are limited in size, go missing without a word, and "
        "cannot be read in part or listed for certain.",
    ),
    staying=("sftp", "ftp", "s3", "webdav"),
)


def store_spec(
    name: str,
    settings: Mapping[str, Any] | str | bytes,
    secrets: Mapping[str, str] | None = None,
    stall_timeout: float = 120.0,
    read_back: bool = True,
    tokens: TokenFile | None = None,
    append_only: bool = False,
) -> StoreSpec:
    """Return the spec of a store out of plain values or saved JSON; errors as with ``Registry``."""
    from .base import StoreSettings, StoreSpec

    parsed = KINDS.parse(settings) if isinstance(settings, Mapping) else KINDS.stored(settings)
    assert isinstance(parsed, StoreSettings)
    return StoreSpec(
        name, parsed, dict(secrets or {}), stall_timeout, read_back, tokens, append_only=append_only
    )


def open_store(spec: StoreSpec) -> Store:
    """Return the store of a spec, not connected yet; an append-only one removes nothing."""
    from .append_only import AppendOnlyStore

    store = open_unguarded(spec)
    return AppendOnlyStore(store) if spec.append_only else store


def open_unguarded(spec: StoreSpec) -> Store:
    """Return the same, with all that its kind can do: for trying what its server refuses."""
    return KINDS.get(spec.settings.kind).open(spec)
