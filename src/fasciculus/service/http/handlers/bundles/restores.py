"""Restores."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import (
    LogLine,
    Page,
    RelocationAsk,
    RelocationProposal,
    Restore,
    RestorePlanLine,
    RestoreStart,
    RestoreUndo,
    Started,
)
from .....models.queries import LogQuery, PlanQuery, RestoresQuery
from ....usecases.bundles import relocations, restores
from ...operations import PREFIX, operation
from ...request import caller, idempotency_key


@operation(
    "GET",
    "/restores",
    "Restores, newest first",
    Permission.VIEW,
    response=Page[Restore],
    query=RestoresQuery,
    scoped=True,
)
def restores_list(query: RestoresQuery) -> Page[Restore]:
    return restores.restores_list(caller(), query)


@operation(
    "POST",
    "/restores/relocation",
    "Propose another place for a restore: a copy next to the original, or another account",
    Permission.VIEW,
    body=RelocationAsk,
    response=RelocationProposal,
    scoped=True,
)
def restores_relocation(body: RelocationAsk) -> RelocationProposal:
    return relocations.restores_relocation(caller(), body)


@operation(
    "POST",
    "/restores",
    "Bring a bundle, or part of it, back: in place, or to an empty folder and named databases",
    Permission.RESTORE,
    body=RestoreStart,
    response=Started,
    status=202,
)
def restores_start(body: RestoreStart) -> Started:
    number = restores.restores_start(caller(), body, idempotency_key())
    return Started(id=number, url=f"{PREFIX}/restores/{number}")


@operation(
    "GET", "/restores/{restore_id}", "One restore", Permission.VIEW, response=Restore, scoped=True
)
def restores_show(restore_id: int) -> Restore:
    return restores.restores_show(caller(), restore_id)


@operation(
    "POST",
    "/restores/{restore_id}/cancel",
    "Cancel a restore",
    Permission.RESTORE,
    response=Restore,
    status=202,
)
def restores_cancel(restore_id: int) -> Restore:
    return restores.restores_cancel(caller(), restore_id)


@operation(
    "GET",
    "/restores/{restore_id}/log",
    "The log of a restore",
    Permission.VIEW,
    response=Page[LogLine],
    query=LogQuery,
    scoped=True,
)
def restores_log(restore_id: int, query: LogQuery) -> Page[LogLine]:
    return restores.restores_log(caller(), restore_id, query)


@operation(
    "GET",
    "/restores/{restore_id}/plan",
    "Plan of a restore in place, path by path",
    Permission.VIEW,
    response=Page[RestorePlanLine],
    query=PlanQuery,
    scoped=True,
)
def restores_plan(restore_id: int, query: PlanQuery) -> Page[RestorePlanLine]:
    return restores.restores_plan(caller(), restore_id, query)


@operation(
    "POST",
    "/restores/{restore_id}/undo",
    "Put back what a restore in place has set aside",
    Permission.RESTORE,
    body=RestoreUndo,
    response=Started,
    status=202,
)
def restores_undo(restore_id: int, body: RestoreUndo) -> Started:
    number = restores.restores_undo(caller(), restore_id, body)
    return Started(id=number, url=f"{PREFIX}/restores/{number}")


@operation(
    "POST",
    "/restores/{restore_id}/drop",
    "Remove what a restore in place has set aside",
    Permission.RESTORE,
    response=Started,
    status=202,
)
def restores_drop(restore_id: int) -> Started:
    number = restores.restores_drop(caller(), restore_id)
    return Started(id=number, url=f"{PREFIX}/restores/{number}")
