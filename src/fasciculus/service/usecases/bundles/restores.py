"""Restores: starting, following and cancelling them."""

from __future__ import annotations

import os
from datetime import timedelta
from typing import BinaryIO

from ....core.bundle.entry import to_bytes
from ....core.bundle.seal.sealing import identities_of
from ....core.contents import Contents
from ....core.dump.filters import DatabaseRules
from ....core.errors import AlreadyEndedError, FolderNotEmptyError, SettingError
from ....core.permissions import Permission
from ....core.restore.restore_kind import RestoreKind, SetAside
from ....core.subject import SubjectKind
from ....models import (
    BundleDetail,
    LogLine,
    Page,
    Restore,
    RestorePlanLine,
    RestoreStart,
    RestoreUndo,
)
from ....models.queries import LogQuery, PlanQuery, RestoresQuery
from ....records.bundles import bundles
from ....records.jobs import jobs
from ....records.paging import page_request
from ....records.runs import log_lines, restores
from ....records.runs.runs import RunOptions
from ...tasks.backups import RunStart
from ...tasks.orders.connections import local_stores
from ...tasks.orders.restore import check_target
from ...tasks.orders.subjects import FoundSubject, databases_of, find_subject
from ..caller import Caller
from .listings import chosen_copy
from .relocations import check_relocation

#: Kinds of hosts that can exchange files by renames.
_IN_PLACE = ("local", "ssh", "ftp")


def restores_list(caller: Caller, query: RestoresQuery) -> Page[Restore]:
    """Return restores, newest first."""
    page = restores.restores(caller.reader, caller.scope, page_request(query), query.subject)
    page.items = [_shown(caller, row) for row in page.items]
    return page


def _shown(caller: Caller, row: Restore) -> Restore:
    """Return a restore with its live numbers, and until when something is kept."""
    days = caller.config.set_aside_days
    is_copy = row.relocation is not None and row.relocation.beside
    if row.aside == SetAside.KEPT and row.ended is not None and days and not is_copy:
        row.aside_until = row.ended + timedelta(days=days)
    return caller.service.tasks.restore_with_progress(row)


def restores_start(caller: Caller, body: RestoreStart, key: str | None) -> int:
    """Bring a bundle, or part of it, back into an empty folder and named databases."""
    db = caller.reader
    bundle = bundles.bundle(db, body.bundle, caller.scope)
    store = chosen_copy(bundle, body.store)
    body.mailboxes = [address.lower() for address in body.mailboxes]
    domains = [address.rpartition("@")[2] for address in body.mailboxes]
    body.mail_domains = list(dict.fromkeys([*body.mail_domains, *domains]))
    if body.in_place is not None and body.relocation is None:
        # In place, a table goes where it was.
        body.databases = {name: name for name in body.tables} | body.databases
    _check_chosen(body, bundle)
    _check_hooks(caller, body)
    _check_target(caller, body, bundle)
    given = None
    if body.identity:
        keys = identities_of(body.identity)
        given = caller.cipher.encrypt({str(n): key for n, key in enumerate(keys)})
    if key and (found := restores.by_key(db, key)):
        return found
    after_run = _bundle_first(caller, body, bundle)
    with caller.write() as writer:
        if key and (found := restores.by_key(writer, key)):
            return found
        restore_id = restores.add(writer, body, bundle, store, caller.name, key, given, after_run)
    where = "in place" if body.in_place else f"to {body.target or 'its host'}"
    said = "planned a restore" if body.plan_only else "started a restore"
    caller.note(said, f"{bundle.subject} {bundle.name} {where}")
    caller.service.tasks.start_restore(restores.restore(db, restore_id))
    return restore_id


def _bundle_first(caller: Caller, body: RestoreStart, bundle: BundleDetail) -> int:
    """Start a run for a bundle of the present state, if that is wanted; return its number."""
    if not body.bundle_first or body.plan_only:
        return 0
    job = jobs.find(caller.reader, bundle.job)
    if job is None or bundle.subject not in jobs.covers(caller.reader, job):
        raise SettingError(
            f"No job makes bundles of {bundle.subject} like this one any more.",
            "Start another job for it first, then restore without a bundle first.",
            field="bundle_first",
        )
    options = RunOptions(names=(bundle.subject,), label="before a restore")
    return caller.service.tasks.start_run(RunStart(job.name, caller.name, None), options)


def _check_hooks(caller: Caller, body: RestoreStart) -> None:
    """Check that what is to happen around a restore belongs to one in place."""
    for field in ("commands", "hold_page", "bundle_first"):
        if getattr(body, field) and body.in_place is None:
            raise SettingError("That belongs to a restore in place.", "Add --in-place.", field)
    if body.commands and Permission.CONFIGURE not in caller.principal.permissions:
        raise SettingError(
            "Commands on the host are for those who may change jobs.",
            "Restore without commands.",
            field="commands",
        )


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
    _check_tables(body, bundle)
    for path in body.paths:
        to_bytes(path)
    for kind in body.contents:
        if kind not in bundle.contents:
            raise SettingError(
                f"The bundle holds no {kind}.",
                f"It holds: {', '.join(bundle.contents)}.",
                field="contents",
            )


def _check_tables(body: RestoreStart, bundle: BundleDetail) -> None:
    """Check that tables are of databases that come back, and that the bundle holds them."""
    for name, tables in body.tables.items():
        if name not in body.databases:
            raise SettingError(
                f"Nothing says where database “{name}” goes.",
                f"Name a new database for it, such as {name}_restored.",
                field="tables",
            )
        known = next(d.tables for d in bundle.databases if d.name == name and not d.origin)
        for table in tables:
            if table not in known:
                raise SettingError(
                    f"The bundle holds no table “{table}” of {name}.",
                    f"It holds: {', '.join(sorted(known)[:20]) or 'none'}.",
                    field="tables",
                )


def _check_target(caller: Caller, body: RestoreStart, bundle: BundleDetail) -> None:
    """Check that there is a place to restore to, and that nothing of it is overwritten."""
    if body.in_place is not None:
        _check_in_place(caller, body, bundle)
        return
    if body.relocation is not None:
        raise SettingError(
            "Another place is for a restore in place.", "Add in_place.", field="relocation"
        )
    if body.whole_account:
        raise SettingError(
            "A whole account comes back in place.", "Add --in-place.", field="whole_account"
        )
    if body.plan_only:
        raise SettingError(
            "Only a restore in place has a plan.", "Add --in-place.", field="plan_only"
        )
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


def _check_in_place(caller: Caller, body: RestoreStart, bundle: BundleDetail) -> None:
    """Check that a restore in place has a place, and nothing else to do."""
    if body.target or body.mail_domains or body.resume:
        raise SettingError(
            "A restore in place brings files and databases back where they were, and nothing else.",
            "Restore mail settings or a folder by another restore.",
            field="in_place",
        )
    if bundle.subject_kind == SubjectKind.HOST:
        _check_host_settings(body)
        return
    if not {Contents.FILES, Contents.DATABASES} & set(body.contents or bundle.contents):
        raise SettingError(
            "Only files and databases can be restored in place.",
            "Name one of them among the contents.",
            "contents",
        )
    found = (
        check_relocation(caller, body, bundle)
        if body.relocation is not None
        else find_subject(caller.order_inputs(), bundle.subject_kind, bundle.subject)
    )
    if found.host.connection.kind not in _IN_PLACE:
        raise SettingError(
            f"{found.host.name} is reached in a way that restores nothing in place.",
            f"Restore into a folder (--to), and copy it to {found.host.name}.",
            field="in_place",
        )
    if body.whole_account and found.host.connection.kind == "ftp":
        raise SettingError(
            f"{found.host.name} is reached over FTP, which creates no users.",
            "Restore without --whole-account.",
            field="whole_account",
        )
    if body.relocation is None:
        _check_own_databases(body, found)
    if body.whole_account and (bundle.subject_kind == SubjectKind.SITE or _is_part(body)):
        raise SettingError(
            "Only a whole account comes back with its user, mail and system settings.",
            "Name an account, and no paths, contents, databases or tables.",
            field="whole_account",
        )


def _check_host_settings(body: RestoreStart) -> None:
    """Check a restore of a host's own settings: those that are missing, and nothing else."""
    if not body.whole_account or _is_part(body):
        raise SettingError(
            "Only the missing settings of a host come back in place, all together.",
            "Add --whole-account and name no paths, or restore them to a folder (--to).",
            field="in_place",
        )


def _is_part(body: RestoreStart) -> bool:
    return bool(body.paths or body.contents or body.databases or body.tables)


def _check_own_databases(body: RestoreStart, found: FoundSubject) -> None:
    """Check that databases in place are the account's own, under their own names."""
    own = {database.name for database in databases_of(found, DatabaseRules()) if not database.path}
    for name, new in body.databases.items():
        if new != name:
            raise SettingError(
                f"In place, database “{name}” comes back under its own name, not as “{new}”.",
                "Leave the new name out, or restore without “in place”.",
                field="databases",
            )
        if name not in own:
            raise SettingError(
                f"{found.order.name} has no database “{name}”.",
                "Add it to the account, or load it under another name.",
                field="databases",
            )


def restores_undo(caller: Caller, restore_id: int, body: RestoreUndo) -> int:
    """Put back what a restore has set aside."""
    return _later_step(caller, restore_id, RestoreKind.UNDO, "started an undo", body.force)


def restores_drop(caller: Caller, restore_id: int) -> int:
    """Remove what a restore has set aside."""
    return _later_step(caller, restore_id, RestoreKind.DROP, "dropped what was set aside")


def _later_step(
    caller: Caller, restore_id: int, kind: RestoreKind, said: str, force: bool = False
) -> int:
    of = restores.restore(caller.reader, restore_id, caller.scope)
    usable = (SetAside.KEPT,) if kind == RestoreKind.UNDO else (SetAside.KEPT, SetAside.UNDONE)
    if of.aside not in usable:
        raise SettingError(
            f"Restore {restore_id} keeps nothing that was set aside.",
            "“fasciculus restores list” shows which do.",
        )
    with caller.write() as db:
        number = restores.add_later_step(db, of, kind, caller.name, force)
    caller.note(said, f"restore {restore_id} of {of.subject}")
    caller.service.tasks.start_restore(restores.restore(caller.reader, number))
    return number


def restores_plan(caller: Caller, restore_id: int, query: PlanQuery) -> Page[RestorePlanLine]:
    """Return the lines of a plan."""
    restores_show(caller, restore_id)
    path = caller.config.restore_plan(restore_id)
    start = int(query.cursor or 0) if (query.cursor or "0").isdecimal() else 0
    items: list[RestorePlanLine] = []
    try:
        with path.open("rb") as file:
            _seek_line(file, start)
            for line in file:
                row = RestorePlanLine.model_validate_json(line)
                start += len(line)
                if not query.action or row.action == query.action:
                    items.append(row)
                if len(items) >= query.limit:
                    break
            more = bool(file.read(1))
    except FileNotFoundError:
        return Page(items=[], total=0)
    return Page(items=items, total=len(items), next=str(start) if more else None)


def _seek_line(file: BinaryIO, start: int) -> None:
    """Go to the beginning of a line. Raises ``SettingError`` for another place."""
    if start:
        file.seek(start - 1)
        if file.read(1) != b"\n":
            raise SettingError(
                "That is not the place of a line.", "Take it from the page before.", "cursor"
            )


def restores_show(caller: Caller, restore_id: int) -> Restore:
    """Return one restore."""
    return _shown(caller, restores.restore(caller.reader, restore_id, caller.scope))


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
