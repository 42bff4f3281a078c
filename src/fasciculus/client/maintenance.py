"""Maintenance of copies, damage, differences, growth."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from ..models import (
    BundleChange,
    DamageRow,
    Growth,
    LogLine,
    MaintenanceStarted,
    MaintenanceTask,
    MendStart,
    Page,
    RepackStart,
    VerifyStart,
)
from .transport import Transport


class MaintenanceCalls(Transport):
    """The client's methods about what is done to copies after they were made."""

    def stores_verify(
        self, name: str, deep: bool = False, subject: str = "", bundle: int | None = None
    ) -> MaintenanceStarted:
        """Look whether copies are whole; ``deep`` reads every byte. Damage is mended where it can
        be.
        """
        return self._call(
            "POST",
            f"/stores/{quote(name)}/verify",
            MaintenanceStarted,
            VerifyStart(deep=deep, subject=subject, bundle=bundle),
        )

    def stores_mend(self, name: str, subject: str = "") -> MaintenanceStarted:
        """Mend what is known to be damaged from other stores."""
        return self._call(
            "POST", f"/stores/{quote(name)}/mend", MaintenanceStarted, MendStart(subject=subject)
        )

    def stores_repack(
        self, name: str, subject: str = "", over: int = 20, dry_run: bool = False
    ) -> MaintenanceStarted:
        """Write pieces anew of which more than ``over`` percent is dead weight."""
        return self._call(
            "POST",
            f"/stores/{quote(name)}/repack",
            MaintenanceStarted,
            RepackStart(subject=subject, over=over, dry_run=dry_run),
        )

    def maintenance_list(self, **query: Any) -> Page[MaintenanceTask]:
        return self._call("GET", "/maintenance", Page[MaintenanceTask], **query)

    def maintenance_show(self, maintenance_id: int) -> MaintenanceTask:
        return self._call("GET", f"/maintenance/{maintenance_id}", MaintenanceTask)

    def maintenance_cancel(self, maintenance_id: int) -> MaintenanceTask:
        return self._call("POST", f"/maintenance/{maintenance_id}/cancel", MaintenanceTask)

    def maintenance_log(self, maintenance_id: int, **query: Any) -> Page[LogLine]:
        return self._call("GET", f"/maintenance/{maintenance_id}/log", Page[LogLine], **query)

    def damage_list(self, **query: Any) -> Page[DamageRow]:
        return self._call("GET", "/damage", Page[DamageRow], **query)

    def growth_show(self, subject: str, kind: str = "") -> Growth:
        return self._call("GET", "/growth", Growth, subject=subject, kind=kind)

    def bundles_changes(self, bundle_id: int, **query: Any) -> Page[BundleChange]:
        """What is new, changed and gone since the bundle before, or since ``against``."""
        return self._call("GET", f"/bundles/{bundle_id}/changes", Page[BundleChange], **query)
