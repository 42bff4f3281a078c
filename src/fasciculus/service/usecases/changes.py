"""Operations on the history of settings."""

from __future__ import annotations

from ...models import Page, SettingChange
from ...models.queries import SettingChangesQuery
from ...records.jobs import changes
from ...records.paging import page_request
from .caller import Caller


def changes_list(caller: Caller, query: SettingChangesQuery) -> Page[SettingChange]:
    """Return changes of settings, newest first, with what was before them."""
    return changes.changes(caller.reader, page_request(query), query.kind, query.name)
