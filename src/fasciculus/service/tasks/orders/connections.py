"""Connections to stores and hosts in orders, with secrets."""

from __future__ import annotations

import socket
import sqlite3
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from ....config import Config
from ....contracts.orders import CopyOrder, HostOrder, MailOrder, ServerOrder, StoreOrder
from ....contracts.sealed_secrets import Secret
from ....core.subject import Subject
from ....records import inventory, seal_keys, settings
from ....records.paging import PageRequest
from ....records.runs import maintenance
from ....records.runs.maintenance import RecordedCopy
from ....records.secret_cipher import SecretCipher
from ....records.stores import stores
from ....stores import KINDS as STORE_KINDS
from ....stores.identity import StoreOwner
from ...settings.kind_settings import connection_secrets, server_secrets
from .artifacts import drive_access, kept

if TYPE_CHECKING:
    from ....models.inventory.inventory import HostFields
    from ....models.stores import StoreFields

_ALL = PageRequest(limit=10_000)
_MANIFESTS = "authentication tags of manifests"
_TOKENS = "access to drives"
#: The setting that tells this service from all others.
SERVICE_ID = "service.id"


@dataclass(frozen=True, slots=True)
class OrderInputs:
    """The inputs of order builders."""

    config: Config
    db: sqlite3.Connection
    cipher: SecretCipher


def store_order(sources: OrderInputs, name: str) -> StoreOrder:
    """Return how to reach a store."""
    db, cipher = sources.db, sources.cipher
    # Without counting its copies, which takes long where there are millions.
    store = stores.fields(db, name)
    store_id = stores.id_of(db, name) or ""
    return owned_order(sources, store, stores.secrets(db, cipher, name), store_id)


def owned_order(
    sources: OrderInputs, store: StoreFields, secrets: Mapping[str, str], store_id: str
) -> StoreOrder:
    """Return the same for a store from its fields, as this service's own."""
    order = store_order_from_fields(sources, store, secrets, store_id)
    cipher = sources.cipher
    order.signing_key = Secret(manifest_key(cipher).hex())
    order.owner_id = service_owner(sources.db).id
    order.identities = [Secret(key) for key in seal_keys.identities(sources.db, cipher)]
    return order


def service_owner(db: sqlite3.Connection) -> StoreOwner:
    """Return this service's identity as stores name their owner."""
    since = datetime.now(UTC).isoformat(timespec="seconds")
    return StoreOwner(settings.get(db, SERVICE_ID) or "", socket.gethostname(), since)


def store_order_from_fields(
    sources: OrderInputs, store: StoreFields, secrets: Mapping[str, str], store_id: str
) -> StoreOrder:
    """Return the same for a store from its fields, saved or not."""
    order = StoreOrder(
        name=store.name,
        settings=store.settings.model_dump_json(),
        secrets=secrets_of(secrets),
        stall_timeout=store.stall_timeout,
        read_back=store.read_back,
        queue=store.queue,
        append_only=store.append_only,
        limits=store.limits,
        reserve=store.reserve,
        store_id=store_id,
    )
    order.is_here = is_here(store.settings.kind)
    if STORE_KINDS.get(store.settings.kind).access is not None and store_id:
        order.tokens = drive_access(sources.config, store_id)
        order.tokens_key = Secret(sources.cipher.derived_key(_TOKENS).hex())
    return order


def is_here(kind: str) -> bool:
    """Return whether only this machine reaches stores of a kind: folders, and drives, the access
    to which is kept here.
    """
    return not STORE_KINDS.stays_connected(kind)


def secrets_of(values: Mapping[str, str]) -> dict[str, Secret]:
    """Return secrets as they go into orders."""
    return {name: Secret(value) for name, value in values.items()}


def manifest_key(cipher: SecretCipher) -> bytes:
    """Return the key of the authentication tags of manifests."""
    return cipher.derived_key(_MANIFESTS)


def recorded_copies(
    sources: OrderInputs, store: str, subject: Subject, bundle: str = ""
) -> list[CopyOrder]:
    """Return the recorded copies of a subject on a store, or one of them."""
    return [
        recorded_copy(sources.config, store, subject, copy)
        for copy in maintenance.copies_on(sources.db, store, subject, bundle)
    ]


def recorded_copy(config: Config, store: str, subject: Subject, copy: RecordedCopy) -> CopyOrder:
    """Return the same of one copy: what was repacked is kept by the name of its store."""
    name = f"{copy.bundle}@{store}" if copy.own else copy.bundle
    manifest = config.manifest(*subject, name)
    is_kept = manifest.exists()
    return CopyOrder(
        name=copy.bundle,
        manifest=kept(config, manifest) if is_kept else None,
        manifest_sha256=copy.manifest.manifest_sha256,
        listing=kept(config, config.listing(*subject, name)),
        listing_sha256=copy.manifest.listing_sha256,
        pieces=[] if is_kept else [piece.name for piece in copy.manifest.pieces],
        vouched=copy.vouched,
    )


def host_order(sources: OrderInputs, name: str) -> HostOrder:
    """Return how to reach a saved host and its database servers."""
    host = inventory.host_fields(sources.db, name)
    return host_order_from_fields(host, inventory.host_secrets(sources.db, sources.cipher, name))


def host_order_from_fields(host: HostFields, secrets: Mapping[str, str]) -> HostOrder:
    """Return the same for a host from its fields, saved or not."""
    return HostOrder(
        name=host.name,
        queue=host.queue,
        settings=host.connection.model_dump_json(),
        secrets=secrets_of(connection_secrets(host.connection.kind, secrets)),
        servers={
            server.kind: ServerOrder(
                settings=server.model_dump_json(),
                secrets=secrets_of(server_secrets(server.kind, secrets)),
            )
            for server in host.servers
        },
    )


def mail_order(host: HostFields, domains: list[str], messages: bool) -> MailOrder:
    """Return the mail settings of a host for some domains."""
    return MailOrder(domains=domains, messages=messages, **host.mail.model_dump())


def local_stores(sources: OrderInputs) -> list[str]:
    """Return the folders of this machine that are stores."""
    return stores.folders(sources.db)
