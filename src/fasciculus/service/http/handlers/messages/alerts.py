"""Operations on alerts and their recipients."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Acknowledgement, Alert, Page, WatchSettings
from .....models.queries import AlertsQuery
from ....usecases import alerts
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/alerts",
    "Alerts, newest first",
    Permission.VIEW,
    query=AlertsQuery,
    response=Page[Alert],
)
def alerts_list(query: AlertsQuery) -> Page[Alert]:
    return alerts.alerts_list(caller(), query)


@operation(
    "POST",
    "/alerts/{alert}/acknowledge",
    "Acknowledge an alert; it stays open until the cause is removed",
    Permission.OPERATE,
    body=Acknowledgement,
    response=Alert,
)
def alerts_acknowledge(alert: int, body: Acknowledgement) -> Alert:
    return alerts.alerts_acknowledge(caller(), alert, body)


@operation(
    "GET",
    "/settings/watch",
    "Recipients of alerts, and thresholds for opening them",
    Permission.VIEW,
    response=WatchSettings,
)
def watch_show() -> WatchSettings:
    return alerts.watch_show(caller())


@operation(
    "PUT",
    "/settings/watch",
    "Set the recipients of alerts and the thresholds",
    Permission.ADMINISTER,
    body=WatchSettings,
    response=WatchSettings,
)
def watch_change(body: WatchSettings) -> WatchSettings:
    return alerts.watch_change(caller(), body)
