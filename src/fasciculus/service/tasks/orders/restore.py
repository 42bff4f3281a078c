"""The order for one restore."""

from __future__ import annotations

import os
from typing import TypeVar

import msgspec

from ....config import Config
from ....contracts.artifacts import Artifact
from ....contracts.orders import (
    DrillOptions,
    DrillPage,
    HostOrder,
    InPlaceOrder,
    LostAccountOrder,
    Relocation,
    RestoreOrder,
    SideOrder,
    SubjectOrder,
)
from ....contracts.sealed_secrets import Secret
from ....core.contents import Contents
from ....core.dump.filters import DatabaseRules
from ....core.errors import SettingError
from ....core.file_filters import FileRules
from ....core.restore.restore_kind import RestoreKind
from ....core.subject import Subject, SubjectKind
from ....databases.base import EXCHANGE_PREFIX
from ....models import JobInput, Restore
from ....models.inventory.inventory import HostFields
from ....records import inventory
from ....records.bundles import bundles
from ....records.jobs import jobs
from ....records.runs import restores
from .artifacts import kept, own_folders, spool, under_way
from .connections import (
    OrderInputs,
    host_order,
    local_stores,
    mail_order,
    recorded_copies,
    store_order,
)
from .hooks import command_orders, hold_flags
from .subjects import FoundSubject, databases_of, find_subject

S = TypeVar("S", bound=SideOrder)


def restore_order(sources: OrderInputs, restore: Restore) -> RestoreOrder:
    """Return the order for a restore.

    A subject that was deleted from the records can still be restored.
    """
    place = place_of(restore)
    host_name = inventory.host_of_subject(sources.db, *place)
    host, mail = HostOrder(), None
    if host_name:
        host = host_order(sources, host_name)
        saved = inventory.host(sources.db, sources.cipher, host_name)
        domains = restore.mail_domains or _all_domains(sources, restore)
        if domains:
            mail = mail_order(saved, domains, True)
            mail.mailboxes = [address.lower() for address in restore.mailboxes]
    elif restore.mail_domains:
        raise SettingError(
            f"{restore.subject} is on no host any more.",
            "Add the account again, then restore its mail settings.",
        )
    store = store_order(sources, restore.store)
    store.recorded = recorded_copies(
        sources, restore.store, Subject.of(restore.subject_kind, restore.subject), restore.bundle
    )
    found = None
    if restore.in_place is not None:
        found = find_subject(sources, *place)
    given = restores.identity(sources.db, restore.id)
    store.identities += map(Secret, sources.cipher.decrypt(given).values())
    return RestoreOrder(
        subject=_subject(found, restore, host_name or ""),
        bundle=restore.bundle,
        store=store,
        contents=restore.contents,
        paths=restore.paths,
        target=restore.target,
        databases=_databases(sources, restore, found),
        tables=restore.tables,
        full_layout=restore.full_layout,
        resume=restore.resume,
        special_modes=restore.special_modes,
        owners=restore.owners,
        mail=mail,
        in_place=_in_place(sources, restore, found),
        lost_account=_lost_account(sources, restore, found),
        relocation=_relocation(restore, found),
        mail_kept=_kept(sources, restore) if mail is not None else None,
        commands=command_orders(restore.commands, found) if found else [],
        hold_flags=_hold_flags(restore, found) if found else [],
        drill=_drill(sources, restore, host_name) if restore.kind == RestoreKind.DRILL else None,
        host=host,
        spool=spool(sources.config, f"restore-{restore.id}"),
    )


def place_of(restore: Restore) -> Subject:
    """Return the subject that a restore changes: its bundle's, or the account chosen for it."""
    if restore.relocation is not None:
        return Subject(SubjectKind.ACCOUNT, restore.relocation.account)
    return Subject.of(restore.subject_kind, restore.subject)


def _kept(sources: OrderInputs, restore: Restore) -> Artifact:
    """Return the folder for what an undo needs that is not on the host."""
    side = restores.side(sources.db, restore.id)
    return kept(sources.config, sources.config.set_aside(side))


def _hold_flags(restore: Restore, found: FoundSubject) -> list[str]:
    """Return the flags of a restore's hold page. A copy next to the original disturbs nobody."""
    is_copy = restore.relocation is not None and restore.relocation.beside
    if is_copy or not restore.hold_page:
        return []
    return hold_flags(found.host, found.account, found.order)


def _relocation(restore: Restore, found: FoundSubject | None) -> Relocation | None:
    moves = restore.relocation
    if moves is None or found is None:
        return None
    own = [d.name for d in databases_of(found, DatabaseRules()) if not d.path]
    return Relocation(
        source=Subject.of(restore.subject_kind, restore.subject),
        from_folder=moves.from_folder,
        to_folder=moves.to_folder,
        texts=moves.texts,
        names=moves.names,
        files=moves.files,
        user_names=moves.user_names,
        user_prefix=moves.user_prefix,
        user_suffix=moves.user_suffix,
        own_databases=own,
        beside=moves.beside,
    )


def _subject(found: FoundSubject | None, restore: Restore, host: str) -> SubjectOrder:
    """Return the subject of a restore; for one in place, with its folder on the host."""
    if found is not None:
        return found.order
    values = {"kind": restore.subject_kind, "name": restore.subject, "host": host, "root": ""}
    return msgspec.convert(values, SubjectOrder)


def left_plan(config: Config, restore_id: int) -> Artifact:
    """Return where a worker leaves the plan of a restore."""
    return under_way(config, f"restore-{restore_id}.plan")


def _in_place(
    sources: OrderInputs, restore: Restore, found: FoundSubject | None
) -> InPlaceOrder | None:
    chosen = restore.in_place
    if chosen is None or found is None:
        return None
    job = _job(sources, restore)
    excludes = found.account.excludes if found.account else []
    side = restores.side(sources.db, restore.id)
    return InPlaceOrder(
        side=side,
        kept=kept(sources.config, sources.config.set_aside(side)),
        plan=left_plan(sources.config, restore.id),
        plan_only=restore.kind == RestoreKind.PLAN,
        conflicts=chosen.conflicts,
        remove_extra=chosen.remove_extra,
        compare_contents=chosen.compare_contents,
        own_folders=own_folders(sources.config),
        excluded=local_stores(sources),
        rules=job.rules.as_core(excludes) if job else FileRules(excludes=tuple(excludes)),
        database_rules=job.databases.as_core() if job else DatabaseRules(),
        with_files=bool(
            restore.relocation or restore.contents or restore.paths or not restore.databases
        ),
    )


def _drill(sources: OrderInputs, restore: Restore, host: str | None) -> DrillOptions:
    """Return the options of a drill; a subject that is on no host any more has no databases."""
    databases: list[str] = []
    if host and restore.subject_kind != "host":
        found = find_subject(sources, restore.subject_kind, restore.subject)
        own = databases_of(found, DatabaseRules())
        databases = [database.name for database in own if not database.path]
    side = restores.side(sources.db, restore.id)
    prefix = EXCHANGE_PREFIX + side.replace("-", "_")
    return DrillOptions(prefix=prefix, databases=databases, page=_drill_page(sources, restore))


def _drill_page(sources: OrderInputs, restore: Restore) -> DrillPage | None:
    """Return the copy that a drill makes to request its page."""
    moves = restore.relocation
    if moves is None:
        return None
    host = find_subject(sources, *place_of(restore)).host
    return DrillPage(
        address=moves.address,
        web_address=restore.web_address or _web_address(host),
        paths=[moves.from_folder] if moves.from_folder else [],
        databases=restore.databases,
    )


def _web_address(host: HostFields) -> str:
    """Return where the web server of a host is."""
    address = str(getattr(host.connection, "address", "") or "127.0.0.1")
    return f"{address}:80"


def _all_domains(sources: OrderInputs, restore: Restore) -> list[str]:
    """Return the mail domains of an account that comes back whole."""
    if not restore.whole_account:
        return []
    bundle = bundles.bundle(sources.db, restore.bundle_id) if restore.bundle_id else None
    if bundle is None or Contents.MAIL not in bundle.contents:
        return []
    return inventory.account(sources.db, restore.subject).mail_domains


def _lost_account(
    sources: OrderInputs, restore: Restore, found: FoundSubject | None
) -> LostAccountOrder | None:
    if not restore.whole_account or found is None:
        return None
    host, account = found.host, found.account
    if account is None:
        return LostAccountOrder(user="", system=host.system, refresh=host.system_refresh)
    return LostAccountOrder(
        user=account.name,
        system=[pattern.replace("{account}", account.name) for pattern in host.account_system],
        refresh=host.system_refresh,
        sites=[site.name for site in account.sites],
        web_address=restore.web_address or _web_address(host),
    )


def clear_order(sources: OrderInputs, restore: Restore) -> RestoreOrder:
    """Return the order that removes what a killed drill left."""
    order = restore_order(sources, restore)
    assert order.drill is not None
    order.drill.only_clear = True
    return order


def _job(sources: OrderInputs, restore: Restore) -> JobInput | None:
    """Return the job of a bundle: what it excludes now is not extra."""
    bundle = bundles.bundle(sources.db, restore.bundle_id) if restore.bundle_id else None
    return jobs.find(sources.db, bundle.job) if bundle else None


def _databases(
    sources: OrderInputs, restore: Restore, found: FoundSubject | None
) -> dict[str, str]:
    """Return the names of databases on the server by those in the bundle.

    In place all of the account's own come back, unless some are chosen. One that the account does
    not have never does: a bundle says nothing about who owns a database.
    """
    if restore.kind == RestoreKind.DRILL:
        # It loads scratch databases, and those of a copy.
        return {}
    if restore.in_place is None or restore.databases or found is None:
        return restore.databases
    if restore.relocation is not None:
        # Only those that were named have a place there.
        return {}
    if restore.paths or (restore.contents and Contents.DATABASES not in restore.contents):
        return {}
    bundle = bundles.bundle(sources.db, restore.bundle_id) if restore.bundle_id else None
    own = {database.name for database in databases_of(found, DatabaseRules()) if not database.path}
    bundled = bundle.databases if bundle else []
    return {d.name: d.name for d in bundled if not d.origin and d.name in own}


def side_order(sources: OrderInputs, restore: Restore, kind: type[S], **more: bool) -> S:
    """Return an order for the side folder of a restore in place."""
    found = find_subject(sources, *place_of(restore))
    subject, side = found.order, restores.side(sources.db, restore.id)
    return kind(
        subject=subject,
        host=host_order(sources, subject.host),
        side=side,
        kept=kept(sources.config, sources.config.set_aside(side)),
        spool=spool(sources.config, f"restore-{restore.id}"),
        commands=command_orders(restore.commands, found),
        hold_flags=_hold_flags(restore, found),
        **more,
    )


def check_target(config: Config, local_stores: list[str], target: str) -> None:
    """Refuse a target in the service's own folders or in a store."""
    path = os.path.realpath(target)
    for forbidden in [str(config.home), str(config.spool), *local_stores]:
        base = os.path.realpath(forbidden)
        if path == base or path.startswith(base + "/"):
            raise SettingError(
                f"{target} is inside {forbidden}, which Fasciculus itself uses.",
                "Name another folder.",
                field="target",
            )
