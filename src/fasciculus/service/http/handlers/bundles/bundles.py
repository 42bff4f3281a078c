"""Bundles: browsing, pinning."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import (
    Bundle,
    BundleDetail,
    BundleFiles,
    DatabaseTables,
    EntrySearch,
    Instructions,
    Page,
    Pin,
    VersionsFound,
)
from .....models.queries import BundlesQuery, EntrySearchQuery, FolderQuery, VersionsQuery
from ....usecases.bundles import bundles, instructions, tables, versions
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/bundles",
    "Bundles, newest first",
    Permission.VIEW,
    response=Page[Bundle],
    query=BundlesQuery,
    scoped=True,
)
def bundles_list(query: BundlesQuery) -> Page[Bundle]:
    return bundles.bundles_list(caller(), query)


@operation(
    "GET",
    "/versions",
    "Versions of files over all bundles of a subject",
    Permission.VIEW,
    response=VersionsFound,
    query=VersionsQuery,
    scoped=True,
)
def bundles_versions(query: VersionsQuery) -> VersionsFound:
    return versions.bundles_versions(caller(), query)


@operation(
    "GET", "/bundles/{bundle_id}", "One bundle", Permission.VIEW, response=BundleDetail, scoped=True
)
def bundles_show(bundle_id: int) -> BundleDetail:
    return bundles.bundles_show(caller(), bundle_id)


@operation(
    "GET",
    "/bundles/{bundle_id}/instructions",
    "How to bring a bundle back, with Fasciculus and by hand",
    Permission.VIEW,
    response=Instructions,
    scoped=True,
)
def bundles_instructions(bundle_id: int) -> Instructions:
    return instructions.bundles_instructions(caller(), bundle_id)


@operation(
    "PUT",
    "/bundles/{bundle_id}/pin",
    "Pin a bundle, with a reason, until a time or until it is unpinned",
    Permission.OPERATE,
    body=Pin,
    response=BundleDetail,
    scoped=True,
)
def bundles_pin(bundle_id: int, body: Pin) -> BundleDetail:
    return bundles.bundles_pin(caller(), bundle_id, body)


@operation(
    "DELETE",
    "/bundles/{bundle_id}/pin",
    "Let a bundle retire again as the keep rule says",
    Permission.OPERATE,
    response=BundleDetail,
    scoped=True,
)
def bundles_unpin(bundle_id: int) -> BundleDetail:
    return bundles.bundles_unpin(caller(), bundle_id)


@operation(
    "GET",
    "/bundles/{bundle_id}/files",
    "Contents of a folder in a bundle",
    Permission.VIEW,
    response=BundleFiles,
    query=FolderQuery,
    scoped=True,
)
def bundles_files(bundle_id: int, query: FolderQuery) -> BundleFiles:
    return bundles.bundles_files(caller(), bundle_id, query)


@operation(
    "GET",
    "/bundles/{bundle_id}/tables",
    "Databases of a bundle, by their tables",
    Permission.VIEW,
    response=Page[DatabaseTables],
    scoped=True,
)
def bundles_tables(bundle_id: int) -> Page[DatabaseTables]:
    return tables.bundles_tables(caller(), bundle_id)


@operation(
    "GET",
    "/bundles/{bundle_id}/search",
    "Entries whose path holds the words",
    Permission.VIEW,
    response=EntrySearch,
    query=EntrySearchQuery,
    scoped=True,
)
def bundles_search(bundle_id: int, query: EntrySearchQuery) -> EntrySearch:
    return bundles.bundles_search(caller(), bundle_id, query)
