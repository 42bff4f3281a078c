"""Operations on alerts and their recipients."""

from __future__ import annotations

from ...models import Acknowledgement, Alert, Page, WatchSettings
from ...models.queries import AlertsQuery
from ...records.messages import alerts
from ...records.paging import page_request
from ..settings.watch_settings import save_watch_settings, watch_settings
from .caller import Caller


def alerts_list(caller: Caller, query: AlertsQuery) -> Page[Alert]:
    """Return alerts, newest first."""
    return alerts.alerts(caller.reader, page_request(query), query.state, query.job)


def alerts_acknowledge(caller: Caller, alert: int, body: Acknowledgement) -> Alert:
    """Acknowledge an alert; it stays open until the cause is removed."""
    with caller.write() as db:
        alerts.acknowledge(db, alert, caller.name, body.note)
        found = alerts.alert(db, alert)
    caller.note("acknowledged alert", f"{alert}: {found.text}")
    caller.changed("alerts")
    return found


def watch_show(caller: Caller) -> WatchSettings:
    """Return recipients of alerts, and thresholds for opening them."""
    return watch_settings(caller.reader)


def watch_change(caller: Caller, body: WatchSettings) -> WatchSettings:
    """Set the recipients of alerts and the thresholds."""
    with caller.write() as db:
        save_watch_settings(db, body)
    caller.note("changed the watch", "")
    return watch_show(caller)
