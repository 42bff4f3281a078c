"""Listings of bundles: next to the records, or otherwise from a store."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from ....core.errors import DamagedError, MissingError, SettingError
from ....core.subject import Subject
from ....models import Bundle
from ....records.bundles import bundles
from ... import outside
from ...stores.store_work import fetch_recorded_listing
from ...tasks.orders.connections import recorded_copies, store_order
from ..caller import Caller
from .export import Export

#: Seconds that fetching a listing may take.
_DEADLINE = 600.0


def chosen_copy(bundle: Bundle, store: str) -> str:
    """Return the store to read from: the one that was named, or the first whose copy is not known
    to be damaged.
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


def listing_of(caller: Caller, bundle: Bundle) -> Path:
    """Return the bundle's listing, to be looked into; where its bytes are may differ from copy to
    copy.
    """
    path = caller.config.listing(bundle.subject_kind, bundle.subject, bundle.name)
    if not path.exists():
        sources = caller.order_inputs()
        subject = Subject.of(bundle.subject_kind, bundle.subject)
        order = store_order(sources, chosen_copy(bundle, ""))
        order.recorded = recorded_copies(sources, order.name, subject, bundle.name)
        try:
            outside.call_within(
                _DEADLINE, fetch_recorded_listing, order, subject, bundle.name, path
            )
        except (DamagedError, MissingError):
            verifier(caller, bundle, order.name, "a look into it")()
            raise
    return path


def verifier(caller: Caller, bundle: Bundle, store: str, started_by: str) -> Callable[[], None]:
    """Return a function that verifies a bundle's copy if it turns out to be damaged; it also works
    after the request has ended.
    """
    tasks = caller.service.tasks
    subject = Subject.of(bundle.subject_kind, bundle.subject)
    return lambda: tasks.verify_copy(store, subject, bundle.name, started_by)


def export_of(
    caller: Caller, bundle: Bundle, store: str, contents: list[str], paths: list[bytes], form: str
) -> Export:
    """Return the export of a bundle from a store."""
    sources, config = caller.order_inputs(), caller.config
    subject = Subject.of(bundle.subject_kind, bundle.subject)
    order = store_order(sources, store)
    order.recorded = recorded_copies(sources, store, subject, bundle.name)
    return Export(
        order,
        subject,
        bundle.name,
        config.listing(subject.kind, subject.name, bundle.name),
        config.listing(subject.kind, subject.name, f"{bundle.name}@{store}"),
        bundles.listing_digest(caller.reader, bundle.id),
        contents,
        paths,
        form,
        config.spool,
    )
