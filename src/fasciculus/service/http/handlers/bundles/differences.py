"""Differences between two bundles of a subject."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import BundleChange, FileDifference, Page, TableChange
from .....models.queries import AgainstQuery, ChangesQuery, DifferenceQuery
from ....usecases.bundles import differences
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/bundles/{bundle_id}/changes",
    "Entries added, changed and removed in a bundle",
    Permission.VIEW,
    response=Page[BundleChange],
    query=ChangesQuery,
    scoped=True,
)
def bundles_changes(bundle_id: int, query: ChangesQuery) -> Page[BundleChange]:
    return differences.bundles_changes(caller(), bundle_id, query)


@operation(
    "GET",
    "/bundles/{bundle_id}/table-changes",
    "Tables that were added, removed, or have another number of rows",
    Permission.VIEW,
    response=Page[TableChange],
    query=AgainstQuery,
    scoped=True,
)
def bundles_table_changes(bundle_id: int, query: AgainstQuery) -> Page[TableChange]:
    return differences.bundles_table_changes(caller(), bundle_id, query)


@operation(
    "GET",
    "/bundles/{bundle_id}/difference",
    "The differing lines of a small text file in two bundles",
    Permission.RESTORE,
    response=FileDifference,
    query=DifferenceQuery,
    scoped=True,
)
def bundles_difference(bundle_id: int, query: DifferenceQuery) -> FileDifference:
    return differences.bundles_difference(caller(), bundle_id, query)
