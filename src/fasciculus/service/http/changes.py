"""Operations on the history of settings."""

from __future__ import annotations

from ...core.permissions import Permission
from ...models import Page, SettingChange
from ...models.queries import SettingChangesQuery
from ...records import changes
from ..context import context
from ..operations import operation, page_request


@operation(
    "GET",
    "/changes",
    "Changes of settings, newest first, with what was before them",
    Permission.VIEW,
    query=SettingChangesQuery,
    response=Page[SettingChange],
)
def changes_list(query: SettingChangesQuery) -> Page[SettingChange]:
    return changes.changes(context().records.reader, page_request(query), query.kind, query.name)
