"""The order for one restore."""

from __future__ import annotations

import os

import msgspec

from ....config import Config
from ....contracts.orders import HostOrder, RestoreOrder, SubjectOrder
from ....contracts.sealed_secrets import Secret
from ....core.errors import SettingError
from ....core.subject import Subject
from ....models import Restore
from ....records import inventory
from ....records.runs import restores
from .artifacts import spool
from .connections import OrderInputs, host_order, mail_order, recorded_copies, store_order


def restore_order(sources: OrderInputs, restore: Restore) -> RestoreOrder:
    """Return the order for a restore.

    A subject that was deleted from the records can still be restored.
    """
    host_name = inventory.host_of_subject(sources.db, restore.subject_kind, restore.subject)
    host, mail = HostOrder(), None
    if host_name:
        host = host_order(sources, host_name)
        if restore.mail_domains:
            saved = inventory.host(sources.db, sources.cipher, host_name)
            mail = mail_order(saved, restore.mail_domains, True)
    elif restore.mail_domains:
        raise SettingError(
            f"{restore.subject} is on no host any more.",
            "Add the account again, then restore its mail settings.",
        )
    store = store_order(sources, restore.store)
    store.recorded = recorded_copies(
        sources, restore.store, Subject.of(restore.subject_kind, restore.subject), restore.bundle
    )
    given = restores.identity(sources.db, restore.id)
    store.identities += map(Secret, sources.cipher.decrypt(given).values())
    subject = {"kind": restore.subject_kind, "name": restore.subject, "host": host_name or ""}
    return RestoreOrder(
        subject=msgspec.convert({**subject, "root": ""}, SubjectOrder),
        bundle=restore.bundle,
        store=store,
        contents=restore.contents,
        paths=restore.paths,
        target=restore.target,
        databases=restore.databases,
        resume=restore.resume,
        special_modes=restore.special_modes,
        owners=restore.owners,
        mail=mail,
        host=host,
        spool=spool(sources.config, f"restore-{restore.id}"),
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
