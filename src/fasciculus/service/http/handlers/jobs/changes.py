"""Operations on the history of settings."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Page, SettingChange
from .....models.queries import SettingChangesQuery
from ....usecases import changes
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/changes",
    "Changes of settings, newest first, with what was before them",
    Permission.VIEW,
    query=SettingChangesQuery,
    response=Page[SettingChange],
)
def changes_list(query: SettingChangesQuery) -> Page[SettingChange]:
    return changes.changes_list(caller(), query)
