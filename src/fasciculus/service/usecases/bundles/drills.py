"""Drills: restores into a scratch place, which prove that bundles can be brought back."""

from __future__ import annotations

from ....core.errors import SettingError
from ....core.restore.restore_kind import RestoreKind
from ....core.subject import SubjectKind
from ....models import Bundle, DrillSettings, DrillStart, Page, Restore
from ....models.queries import DrillsQuery
from ....records import inventory
from ....records.bundles import bundles
from ....records.paging import page_request
from ....records.runs import restores
from ...drills import drill_copy, drill_settings, next_drill, save_drill_settings
from ..caller import Caller
from .listings import chosen_copy


def drills_list(caller: Caller, query: DrillsQuery) -> Page[Restore]:
    """Return drills, newest first."""
    page = restores.restores(
        caller.reader, caller.scope, page_request(query), query.subject, RestoreKind.DRILL
    )
    page.items = [caller.service.tasks.restore_with_progress(row) for row in page.items]
    return page


def drills_start(caller: Caller, body: DrillStart) -> int:
    """Start a drill."""
    bundle = _chosen(caller, body)
    store = chosen_copy(bundle, body.store)
    copy, web_address = None, ""
    if body.page is not None and body.page.address:
        copy = drill_copy(caller.reader, bundle, body.page, body.site, caller.scope)
        web_address = body.page.web_address
    with caller.write() as db:
        number = restores.add_drill(db, bundle, store, caller.name, copy, web_address)
    caller.note("started a drill", f"{bundle.subject} {bundle.name}")
    caller.service.tasks.start_restore(restores.restore(caller.reader, number))
    return number


def _chosen(caller: Caller, body: DrillStart) -> Bundle:
    if body.bundle is not None:
        return bundles.bundle(caller.reader, body.bundle, caller.scope)
    return next_drill(caller.reader, [body.subject] if body.subject else [], caller.scope)


def drills_settings_show(caller: Caller) -> DrillSettings:
    """Return the timetable of drills."""
    return drill_settings(caller.reader)


def drills_settings_change(caller: Caller, body: DrillSettings) -> DrillSettings:
    """Set the timetable of drills."""
    for name in body.subjects:
        kinds = (SubjectKind.ACCOUNT, SubjectKind.SITE)
        if not any(inventory.host_of_subject(caller.reader, kind, name) for kind in kinds):
            raise SettingError(
                f"There is no account or site “{name}”.",
                "“fasciculus accounts list” names them.",
                field="subjects",
            )
    with caller.write() as db:
        save_drill_settings(db, body)
    caller.note("changed the drills", body.timetable)
    caller.service.scheduler.refresh()
    return drills_settings_show(caller)
