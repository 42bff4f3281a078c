"""Restores: starting, following and cancelling them."""

from __future__ import annotations

import os

from ....core.bundle.entry import to_bytes
from ....core.bundle.seal.sealing import identities_of
from ....core.errors import AlreadyEndedError, FolderNotEmptyError, SettingError
from ....models import BundleDetail, LogLine, Page, Restore, RestoreStart
from ....models.queries import LogQuery, RestoresQuery
from ....records.bundles import bundles
from ....records.paging import page_request
from ....records.runs import log_lines, restores
from ...tasks.orders.connections import local_stores
from ...tasks.orders.restore import check_target
from ..caller import Caller
from .listings import chosen_copy


def restores_list(caller: Caller, query: RestoresQuery) -> Page[Restore]:
    """Return restores, newest first."""
    page = restores.restores(caller.reader, caller.scope, page_request(query), query.subject)
    page.items = [caller.service.tasks.restore_with_progress(row) for row in page.items]
    return page


def restores_start(caller: Caller, body: RestoreStart, key: str | None) -> int:
    """Bring a bundle, or part of it, back into an empty folder and named databases."""
    db = caller.reader
    bundle = bundles.bundle(db, body.bundle, caller.scope)
    store = chosen_copy(bundle, body.store)
    _check_chosen(body, bundle)
    _check_target(caller, body, bundle)
    given = None
    if body.identity:
        keys = identities_of(body.identity)
        given = caller.cipher.encrypt({str(n): key for n, key in enumerate(keys)})
    with caller.write() as writer:
        if key and (found := restores.by_key(writer, key)):
            return found
        restore_id = restores.add(writer, body, bundle, store, caller.name, key, given)
    caller.note(
        "started a restore", f"{bundle.subject} {bundle.name} to {body.target or 'its host'}"
    )
    caller.service.tasks.start_restore(restores.restore(db, restore_id))
    return restore_id


def _check_chosen(body: RestoreStart, bundle: BundleDetail) -> None:
    """Check that the bundle holds what is asked for."""
    known = [d.name for d in bundle.databases if not d.origin]
    for name, new in body.databases.items():
        if name not in known:
            raise SettingError(
                f"The bundle holds no database “{name}” of a server.",
                f"It holds: {', '.join(known) or 'none'}.",
                field="databases",
            )
        if not new or len(new) > 64:
            raise SettingError(
                f"“{new}” cannot be a database's name.",
                "Use 1 to 64 characters.",
                field="databases",
            )
    for path in body.paths:
        to_bytes(path)
    for kind in body.contents:
        if kind not in bundle.contents:
            raise SettingError(
                f"The bundle holds no {kind}.",
                f"It holds: {', '.join(bundle.contents)}.",
                field="contents",
            )


def _check_target(caller: Caller, body: RestoreStart, bundle: BundleDetail) -> None:
    """Check that there is a place to restore to, and that nothing of it is overwritten."""
    if not (body.target or body.databases or body.mail_domains):
        raise SettingError(
            "Nothing says where to bring it back to.",
            "Name a folder, or databases or mail domains.",
            field="target",
        )
    if body.target:
        check_target(caller.config, local_stores(caller.order_inputs()), body.target)
    if body.resume and not restores.interrupted(caller.reader, bundle.id, body.target):
        raise SettingError(
            f"No restore of this bundle to {body.target or 'a folder'} was interrupted.",
            "“fasciculus restores list” shows where restores went.",
            field="target",
        )
    is_used = body.target and os.path.isdir(body.target) and os.listdir(body.target)
    if is_used and not body.resume:
        raise FolderNotEmptyError(
            f"The folder {body.target} is not empty.",
            "Name an empty or a new folder, or continue an interrupted restore (resume).",
            field="target",
        )


def restores_show(caller: Caller, restore_id: int) -> Restore:
    """Return one restore."""
    return caller.service.tasks.restore_with_progress(
        restores.restore(caller.reader, restore_id, caller.scope)
    )


def restores_cancel(caller: Caller, restore_id: int) -> Restore:
    """Cancel a restore."""
    if restores_show(caller, restore_id).state == "ended":
        raise AlreadyEndedError(
            f"Restore {restore_id} has ended already.", "There is nothing to cancel."
        )
    caller.service.tasks.cancel_restore(restore_id)
    caller.note("cancelled a restore", str(restore_id))
    return restores_show(caller, restore_id)


def restores_log(caller: Caller, restore_id: int, query: LogQuery) -> Page[LogLine]:
    """Return the log of a restore."""
    restores_show(caller, restore_id)
    return log_lines.lines(
        caller.reader,
        caller.scope,
        page_request(query),
        "restore_id",
        restore_id,
        query.level,
        query.q,
    )
