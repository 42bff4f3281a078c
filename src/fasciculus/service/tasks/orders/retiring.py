"""The order for retiring copies on an append-only store."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ....contracts.orders import SeriesOrder, StoreOrder
from ....core.errors import SettingError
from ....core.subject import Subject
from ....models import JobInput, KindSettings, StoreInput
from ....records import inventory
from ....records.bundles import bundles
from ....records.jobs import jobs
from ....records.stores import stores
from ....stores.base import StoreSettings
from ...settings.kind_settings import check_store
from .connections import OrderInputs, owned_order


@dataclass(frozen=True, slots=True)
class StoreCredentials:
    """The credentials that may remove files on a store: settings, such as another user, and
    secrets. They are kept nowhere.
    """

    settings: Mapping[str, Any]
    secrets: Mapping[str, str] = field(repr=False)


def retiring_store(sources: OrderInputs, name: str, given: StoreCredentials | None) -> StoreOrder:
    """Return how to reach an append-only store for removing files. Raises ``SettingError`` at the
    field for missing or incomplete credentials.
    """
    if given is None:
        raise SettingError(
            "The credentials for retiring were lost when the service restarted.",
            f"Start it again: fasciculus stores retire {name}.",
        )
    fields = stores.fields(sources.db, name)
    new = StoreInput(**fields.model_dump(), secrets=dict(given.secrets))
    new.settings = KindSettings(**{**fields.settings.model_dump(), **given.settings})
    checked = check_store(new)
    assert isinstance(checked, StoreSettings)
    new.settings = KindSettings(**checked.for_retiring().model_dump())
    new.append_only = False
    return owned_order(sources, new, given.secrets, stores.id_of(sources.db, name) or "")


def all_series(sources: OrderInputs, store: str, subject: Subject) -> list[SeriesOrder]:
    """Return what each job made of a subject on a store, with the keep rules there."""
    rows = [_series(sources, job, store, subject) for job in jobs.jobs(sources.db)]
    return [row for row in rows if row.known]


def _series(sources: OrderInputs, job: JobInput, store: str, subject: Subject) -> SeriesOrder:
    known = bundles.known_on(sources.db, *subject, job.name, store)
    locked = bundles.locked_on(sources.db, subject, store)
    is_closed = bool(job.keep_gone) and inventory.is_gone(sources.db, subject)
    return SeriesOrder(
        known=[copy.name for copy in known],
        keep=job.keep_gone if is_closed else job.keep_for(store),
        zone=job.zone,
        pinned=[copy.name for copy in known if copy.pinned],
        unsound=[copy.name for copy in known if not copy.good],
        locked=[copy.name for copy in known if copy.name in locked],
        is_closed=is_closed,
    )
