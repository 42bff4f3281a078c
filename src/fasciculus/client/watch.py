"""Calls about the watch: alerts and its settings."""

from __future__ import annotations

from typing import Any

from .. import models
from .transport import Transport


class WatchCalls(Transport):
    """Calls on alerts and the watch."""

    def alerts_list(self, **query: Any) -> models.Page[models.Alert]:
        """Alerts, the open ones first.

        ``query`` may filter by ``state``, ``job``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/alerts", models.Page[models.Alert], **query)

    def alerts_acknowledge(self, alert: int, note: str = "") -> models.Alert:
        """Acknowledge an alert; it stays open until the cause is removed.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call(
            "POST",
            f"/alerts/{alert}/acknowledge",
            models.Alert,
            self._made(models.Acknowledgement, note=note),
        )

    def watch_show(self) -> models.WatchSettings:
        """Return the recipients of alerts and the thresholds for opening them."""
        return self._call("GET", "/settings/watch", models.WatchSettings)

    def watch_change(self, settings: models.WatchSettings) -> models.WatchSettings:
        """Set the recipients of alerts and the thresholds.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("PUT", "/settings/watch", models.WatchSettings, settings)
