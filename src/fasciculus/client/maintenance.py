"""Maintenance of copies, damage, differences, growth."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

from .. import models
from .transport import Transport


class MaintenanceCalls(Transport):
    """The client's methods about what is done to copies after they were made."""

    def stores_verify(
        self, name: str, deep: bool = False, subject: str = "", bundle: int | None = None
    ) -> models.MaintenanceStarted:
        """Look whether copies are whole; ``deep`` reads every byte. Damage is repaired where it can
        be.
        """
        return self._call(
            "POST",
            f"/stores/{quote(name)}/verify",
            models.MaintenanceStarted,
            models.VerifyStart(deep=deep, subject=subject, bundle=bundle),
        )

    def stores_repair(self, name: str, subject: str = "") -> models.MaintenanceStarted:
        """Repair what is known to be damaged from other stores."""
        return self._call(
            "POST",
            f"/stores/{quote(name)}/repair",
            models.MaintenanceStarted,
            models.RepairStart(subject=subject),
        )

    def stores_transfer(
        self, name: str, source: str = "", subject: str = "", move: bool = False
    ) -> models.MaintenanceStarted:
        """Bring bundles that a store lacks: those of ``source``, or those that jobs wanted on it.

        Raises ``RefusedError`` when it lacks nothing.
        """
        return self._call(
            "POST",
            f"/stores/{quote(name)}/transfer",
            models.MaintenanceStarted,
            models.TransferStart(source=source, subject=subject, move=move),
        )

    def stores_seal(self, name: str, subject: str = "") -> models.MaintenanceStarted:
        """Seal what a store holds to the public keys that it has now.

        Raises ``NotFoundError`` when there is no such store.
        """
        return self._call(
            "POST",
            f"/stores/{quote(name)}/seal",
            models.MaintenanceStarted,
            models.SealStart(subject=subject),
        )

    def stores_retire(
        self,
        name: str,
        subject: str = "",
        settings: Mapping[str, Any] | None = None,
        secrets: Mapping[str, str] | None = None,
    ) -> models.MaintenanceStarted:
        """Retire the copies on an append-only store; ``settings``, such as another user, and
        ``secrets`` are those that may remove files there, and are not kept.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call(
            "POST",
            f"/stores/{quote(name)}/retire",
            models.MaintenanceStarted,
            models.RetireStart(
                subject=subject, settings=dict(settings or {}), secrets=dict(secrets or {})
            ),
        )

    def stores_import(self, name: str) -> models.MaintenanceStarted:
        """Take all bundles that a store holds into the records.

        Raises ``NotFoundError`` when there is no such store.
        """
        return self._call("POST", f"/stores/{quote(name)}/import", models.MaintenanceStarted)

    def stores_transfers(self, name: str, **query: Any) -> models.Page[models.Transfer]:
        """Return what was brought to a store from others, newest first.

        ``query`` may filter by ``day`` of UTC.
        Returns one page (``sort``); :meth:`every` asks for all.
        """
        return self._call(
            "GET", f"/stores/{quote(name)}/transfers", models.Page[models.Transfer], **query
        )

    def stores_repack(
        self, name: str, subject: str = "", over: int = 20, dry_run: bool = False
    ) -> models.MaintenanceStarted:
        """Rewrite the pieces of which more than ``over`` percent is unused."""
        return self._call(
            "POST",
            f"/stores/{quote(name)}/repack",
            models.MaintenanceStarted,
            models.RepackStart(subject=subject, over=over, dry_run=dry_run),
        )

    def maintenance_list(self, **query: Any) -> models.Page[models.MaintenanceTask]:
        """Maintenance, newest first.

        ``query`` may filter by ``kind``, ``store``, ``subject``, ``state``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/maintenance", models.Page[models.MaintenanceTask], **query)

    def maintenance_show(self, maintenance_id: int) -> models.MaintenanceTask:
        """Return one maintenance task.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/maintenance/{maintenance_id}", models.MaintenanceTask)

    def maintenance_cancel(self, maintenance_id: int) -> models.MaintenanceTask:
        """Cancel a maintenance task; every copy stays intact.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("POST", f"/maintenance/{maintenance_id}/cancel", models.MaintenanceTask)

    def maintenance_log(self, maintenance_id: int, **query: Any) -> models.Page[models.LogLine]:
        """Return the log of maintenance.

        ``query`` may filter by ``level``, ``q``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call(
            "GET", f"/maintenance/{maintenance_id}/log", models.Page[models.LogLine], **query
        )

    def damage_list(self, **query: Any) -> models.Page[models.DamageRow]:
        """Files on stores that are missing or altered, and what they harm.

        ``query`` may filter by ``store``, ``subject``, ``kind``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/damage", models.Page[models.DamageRow], **query)

    def growth_show(self, subject: str, kind: str = "") -> models.Growth:
        """Return how a subject grows, and what it takes on each store."""
        return self._call("GET", "/growth", models.Growth, subject=subject, kind=kind)

    def bundles_changes(self, bundle_id: int, **query: Any) -> models.Page[models.BundleChange]:
        """Return what is new, changed and gone since the previous bundle, or since ``against``."""
        return self._call(
            "GET", f"/bundles/{bundle_id}/changes", models.Page[models.BundleChange], **query
        )
