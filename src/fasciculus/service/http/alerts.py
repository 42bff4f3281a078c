"""Operations on alerts and their recipients."""

from __future__ import annotations

from ...core.permissions import Permission
from ...models import Acknowledgement, Alert, Page, WatchSettings
from ...models.queries import AlertsQuery
from ...records import alerts
from ..context import context
from ..operations import operation, page_request, principal
from ..watch_settings import save_watch_settings, watch_settings
from .auth import note


@operation(
    "GET",
    "/alerts",
    "Alerts, newest first",
    Permission.VIEW,
    query=AlertsQuery,
    response=Page[Alert],
)
def alerts_list(query: AlertsQuery) -> Page[Alert]:
    return alerts.alerts(context().records.reader, page_request(query), query.state, query.job)


@operation(
    "POST",
    "/alerts/{alert}/acknowledge",
    "Acknowledge an alert; it stays open until the cause is gone",
    Permission.OPERATE,
    body=Acknowledgement,
    response=Alert,
)
def alerts_acknowledge(alert: int, body: Acknowledgement) -> Alert:
    with context().records.write() as db:
        alerts.acknowledge(db, alert, principal().name, body.note)
        found = alerts.alert(db, alert)
    note("acknowledged alert", f"{alert}: {found.text}")
    context().events.changed("alerts")
    return found


@operation(
    "GET",
    "/settings/watch",
    "Recipients of alerts, and thresholds for opening them",
    Permission.VIEW,
    response=WatchSettings,
)
def watch_show() -> WatchSettings:
    return watch_settings(context().records.reader)


@operation(
    "PUT",
    "/settings/watch",
    "Set the recipients of alerts and the thresholds",
    Permission.ADMINISTER,
    body=WatchSettings,
    response=WatchSettings,
)
def watch_change(body: WatchSettings) -> WatchSettings:
    with context().records.write() as db:
        save_watch_settings(db, body)
    note("changed the watch", "")
    return watch_show()
