"""Maintenance of copies, what is damaged, how bundles differ, how subjects grow."""

from __future__ import annotations

from ....core.permissions import Permission
from ....models import (
    DamageRow,
    Growth,
    LogLine,
    MaintenanceStarted,
    MaintenanceTask,
    Page,
    RepackStart,
    RepairStart,
    RetireStart,
    SealStart,
    Transfer,
    TransferStart,
    VerifyStart,
)
from ....models.queries import (
    DamageQuery,
    GrowthQuery,
    LogQuery,
    MaintenanceQuery,
    TransfersQuery,
)
from ...usecases.stores import maintenance
from ..operations import operation
from ..request import caller


@operation(
    "POST",
    "/stores/{name}/verify",
    "Look whether the copies on a store are whole",
    Permission.OPERATE,
    body=VerifyStart,
    response=MaintenanceStarted,
    status=202,
)
def stores_verify(name: str, body: VerifyStart) -> MaintenanceStarted:
    return maintenance.stores_verify(caller(), name, body)


@operation(
    "POST",
    "/stores/{name}/repair",
    "Repair damaged files from intact copies on other stores",
    Permission.OPERATE,
    body=RepairStart,
    response=MaintenanceStarted,
    status=202,
    former=("/stores/{name}/mend",),
)
def stores_repair(name: str, body: RepairStart) -> MaintenanceStarted:
    return maintenance.stores_repair(caller(), name, body)


@operation(
    "POST",
    "/stores/{name}/repack",
    "Repack: rewrite pieces without unused data",
    Permission.OPERATE,
    body=RepackStart,
    response=MaintenanceStarted,
    status=202,
)
def stores_repack(name: str, body: RepackStart) -> MaintenanceStarted:
    return maintenance.stores_repack(caller(), name, body)


@operation(
    "POST",
    "/stores/{name}/transfer",
    "Bring bundles that a store lacks from other stores",
    Permission.OPERATE,
    body=TransferStart,
    response=MaintenanceStarted,
    status=202,
)
def stores_transfer(name: str, body: TransferStart) -> MaintenanceStarted:
    return maintenance.stores_transfer(caller(), name, body)


@operation(
    "POST",
    "/stores/{name}/seal",
    "Seal what a store holds to its public keys, or open it where it has none",
    Permission.ADMINISTER,
    body=SealStart,
    response=MaintenanceStarted,
    status=202,
)
def stores_seal(name: str, body: SealStart) -> MaintenanceStarted:
    return maintenance.stores_seal(caller(), name, body)


@operation(
    "POST",
    "/stores/{name}/retire",
    "Retire the copies on an append-only store, with separate credentials",
    Permission.ADMINISTER,
    body=RetireStart,
    response=MaintenanceStarted,
    status=202,
)
def stores_retire(name: str, body: RetireStart) -> MaintenanceStarted:
    return maintenance.stores_retire(caller(), name, body)


@operation(
    "POST",
    "/stores/{name}/import",
    "Take all bundles that a store holds into the records",
    Permission.ADMINISTER,
    response=MaintenanceStarted,
    status=202,
)
def stores_import(name: str) -> MaintenanceStarted:
    return maintenance.stores_import(caller(), name)


@operation(
    "GET",
    "/stores/{name}/transfers",
    "Transfers to a store from other stores, newest first",
    Permission.VIEW,
    query=TransfersQuery,
    response=Page[Transfer],
)
def stores_transfers(name: str, query: TransfersQuery) -> Page[Transfer]:
    return maintenance.stores_transfers(caller(), name, query)


@operation(
    "GET",
    "/maintenance",
    "Maintenance, newest first",
    Permission.VIEW,
    response=Page[MaintenanceTask],
    query=MaintenanceQuery,
)
def maintenance_list(query: MaintenanceQuery) -> Page[MaintenanceTask]:
    return maintenance.maintenance_list(caller(), query)


@operation(
    "GET",
    "/maintenance/{maintenance_id}",
    "One maintenance task",
    Permission.VIEW,
    response=MaintenanceTask,
)
def maintenance_show(maintenance_id: int) -> MaintenanceTask:
    return maintenance.maintenance_show(caller(), maintenance_id)


@operation(
    "POST",
    "/maintenance/{maintenance_id}/cancel",
    "Cancel a maintenance task; every copy stays intact",
    Permission.OPERATE,
    response=MaintenanceTask,
    status=202,
)
def maintenance_cancel(maintenance_id: int) -> MaintenanceTask:
    return maintenance.maintenance_cancel(caller(), maintenance_id)


@operation(
    "GET",
    "/maintenance/{maintenance_id}/log",
    "The log of maintenance",
    Permission.VIEW,
    response=Page[LogLine],
    query=LogQuery,
)
def maintenance_log(maintenance_id: int, query: LogQuery) -> Page[LogLine]:
    return maintenance.maintenance_log(caller(), maintenance_id, query)


@operation(
    "GET",
    "/damage",
    "Files on stores that are missing or altered, and what they harm",
    Permission.VIEW,
    response=Page[DamageRow],
    query=DamageQuery,
    scoped=True,
)
def damage_list(query: DamageQuery) -> Page[DamageRow]:
    return maintenance.damage_list(caller(), query)


@operation(
    "GET",
    "/growth",
    "Growth of a subject, and its space on each store",
    Permission.VIEW,
    response=Growth,
    query=GrowthQuery,
    scoped=True,
)
def growth_show(query: GrowthQuery) -> Growth:
    return maintenance.growth_show(caller(), query)
