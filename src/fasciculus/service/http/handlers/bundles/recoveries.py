"""Recoveries."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Page, Recovery, RecoveryStart
from ....usecases.bundles import recoveries
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/recoveries",
    "Recoveries of lost hosts, newest first",
    Permission.VIEW,
    response=Page[Recovery],
)
def recoveries_list() -> Page[Recovery]:
    return recoveries.recoveries_list(caller())


@operation(
    "POST",
    "/recoveries",
    "Begin a recovery of a lost host: no run begins on it until the recovery ends",
    Permission.RESTORE,
    body=RecoveryStart,
    response=Recovery,
    status=201,
)
def recoveries_start(body: RecoveryStart) -> Recovery:
    return recoveries.recoveries_start(caller(), body)


@operation(
    "GET",
    "/recoveries/{number}",
    "One recovery, with the state of each subject",
    Permission.VIEW,
    response=Recovery,
)
def recoveries_show(number: int) -> Recovery:
    return recoveries.recoveries_show(caller(), number)


@operation(
    "POST",
    "/recoveries/{number}/end",
    "End a recovery",
    Permission.RESTORE,
    response=Recovery,
)
def recoveries_end(number: int) -> Recovery:
    return recoveries.recoveries_end(caller(), number)
