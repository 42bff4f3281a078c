"""Where the listing of a bundle is read from: beside the records, or else a store."""

from __future__ import annotations

from pathlib import Path

from ..bundles.files import fetch_listing, is_listing_of
from ..bundles.recorded_copies import RecordedCopies
from ..core.bundle.layout import SubjectRef
from ..core.errors import MissingError, SettingError
from ..models import Bundle
from ..records import bundles
from ..stores.base import Store
from . import outside
from .context import context, order_sources
from .store_work import fetch_recorded_listing
from .tasks.orders.connections import recorded_copies, store_order

#: Seconds that fetching a listing may take.
_DEADLINE = 600.0


def chosen_copy(bundle: Bundle, store: str) -> str:
    """The store to read from: the one that was named, or the first whose copy is not known to be
    damaged.
    """
    names = [copy.store for copy in bundle.copies]
    if store and store not in names:
        raise SettingError(
            f"There is no copy of {bundle.name} on “{store}”.",
            f"Copies are on: {', '.join(names) or 'none'}.",
            field="store",
        )
    if not names:
        raise MissingError(f"No copy of {bundle.name} is left.", "Choose another moment.")
    return store or next((copy.store for copy in bundle.copies if copy.sound), names[0])


def listing_of(bundle: Bundle) -> Path:
    """The bundle's listing, to be looked into; where its bytes are may differ from copy to copy."""
    path = context().config.listing(bundle.subject_kind, bundle.subject, bundle.name)
    if not path.exists():
        subject = SubjectRef(bundle.subject_kind, bundle.subject)
        order = store_order(order_sources(), chosen_copy(bundle, ""))
        order.recorded = recorded_copies(
            order_sources(), order.name, (subject.kind, subject.name), bundle.name
        )
        outside.call_within(_DEADLINE, fetch_recorded_listing, order, subject, bundle.name, path)
    return path


def listing_on(bundle: Bundle, store: Store) -> Path:
    """The listing that says where the bytes of one copy are."""
    subject = SubjectRef(bundle.subject_kind, bundle.subject)
    manifest = _recorded(bundle, store.spec.name).manifest(store, bundle.name)
    config = context().config
    known = bundles.listing_digest(context().records.reader, bundle.id)
    for name in (bundle.name, f"{bundle.name}@{store.spec.name}"):
        path = config.listing(subject.kind, subject.name, name)
        if name == bundle.name and known != manifest.listing_sha256:
            continue
        if is_listing_of(path, manifest):
            return path
    target = config.listing(
        subject.kind,
        subject.name,
        bundle.name if known == manifest.listing_sha256 else f"{bundle.name}@{store.spec.name}",
    )
    return fetch_listing(store, subject, manifest, target)


def _recorded(bundle: Bundle, store: str) -> RecordedCopies:
    """What the records know of one copy: a store may say anything."""
    subject = SubjectRef(bundle.subject_kind, bundle.subject)
    sources = order_sources()
    copies = recorded_copies(sources, store, (subject.kind, subject.name), bundle.name)
    return RecordedCopies(copies, subject, store_order(sources, store).key)
