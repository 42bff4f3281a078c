"""From the records to self-contained orders."""

from __future__ import annotations

import os
import sqlite3
from pathlib import Path

from .. import __version__
from ..config import Config
from ..core.errors import BadSetting
from ..models import Account, Host, Job, Restore
from ..records import bundles, inventory, stores
from ..records.paging import Ask
from ..records.sealing import Seal
from ..work.order import (
    BundleOrder,
    DatabaseOrder,
    MailOrder,
    MariaDbOrder,
    RestoreOrder,
    StoreOrder,
    SubjectOrder,
)


def store_order(db: sqlite3.Connection, seal: Seal, name: str) -> StoreOrder:
    """How to reach a store, secrets included."""
    store = stores.store(db, seal, name)
    return StoreOrder(
        name=store.name, kind=store.kind, settings=settings_of(store.model_dump()),
        secrets=stores.secrets(db, seal, name), store_id=stores.mark_of(db, name) or "",
    )


def settings_of(store: dict[str, object]) -> dict[str, object]:
    """The part of a store's document that says how to reach it."""
    keys = ("path", "address", "port", "user", "folder", "host_key")
    return {key: store[key] for key in keys}


def mariadb_order(db: sqlite3.Connection, seal: Seal, host: Host) -> MariaDbOrder | None:
    if host.mariadb is None:
        return None
    password = inventory.host_secrets(db, seal, host.name).get("mariadb_password", "")
    return MariaDbOrder(**host.mariadb.model_dump(), password=password)


def _subject(account: Account, kind: str, name: str) -> SubjectOrder:
    if kind == "account":
        return SubjectOrder(kind="account", name=name, host=account.host, root=account.home,
                            site_roots={site.name: site.root for site in account.sites})
    root = next((site.root for site in account.sites if site.name == name), None)
    if root is None:
        raise BadSetting(f"There is no site “{name}” any more.", "Change the job.")
    return SubjectOrder(kind="site", name=name, host=account.host, root=root)


def _databases(account: Account, subject: SubjectOrder) -> list[DatabaseOrder]:
    """All of an account's, or those that a site uses; SQLite paths are made relative to the root."""
    rows = []
    for database in account.databases:
        if subject.kind == "site" and database.site != subject.name:
            continue
        path = database.path
        if database.engine == "sqlite" and subject.kind == "site":
            whole = os.path.join(account.home, path)
            if not whole.startswith(subject.root + "/"):
                raise BadSetting(
                    f"The SQLite database {database.name} of site {subject.name} lies outside its "
                    "document root.", "Protect the account instead of the site.")
            path = os.path.relpath(whole, subject.root)
        rows.append(DatabaseOrder(engine=database.engine, name=database.name, path=path))
    return rows


def bundle_order(db: sqlite3.Connection, seal: Seal, config: Config, job: Job, run_id: int,
                 task_id: int, kind: str, name: str) -> BundleOrder:
    """The order for one task of a run."""
    owner = name if kind == "account" else inventory.account_of_site(db, name)
    account = inventory.account(db, owner)
    host = inventory.host(db, seal, account.host)
    subject = _subject(account, kind, name)
    domains = account.mail_domains
    if kind == "site":
        domains = [domain for domain in domains if domain == name]
    mail = None
    if "mail" in job.contents and domains:
        mail = MailOrder(domains=domains, alias_map=host.alias_map, passwd_file=host.passwd_file,
                         home=host.mail_home, messages=job.messages)
    targets = []
    for store_name in job.stores:
        target = store_order(db, seal, store_name)
        known = bundles.known_on(db, kind, name, job.name, store_name)
        target.known = [row[0] for row in known]
        target.pinned = [row[0] for row in known if row[1]]
        targets.append(target)
    last = bundles.newest(db, kind, name, job.name)
    local_stores = [
        str(row.path) for row in stores.stores(db, seal, Ask(limit=10_000)).items
        if row.kind == "folder"
    ]
    spool = config.spool / f"task-{task_id}"
    return BundleOrder(
        run=run_id, job=job.name, subject=subject, contents=list(job.contents),
        databases=_databases(account, subject), mariadb=mariadb_order(db, seal, host), mail=mail,
        stores=targets, keep=job.keep, compression=job.compression, level=job.level,
        piece_size=job.piece_size, threads=config.threads or os.cpu_count() or 2,
        spool=str(spool), spool_limit=config.spool_limit,
        listing=str(config.listings / "under-way" / f"task-{task_id}.zst"),
        left_out=[str(config.home), str(config.spool), *local_stores],
        expected_bytes=last["bytes"] if last else 0, expected_packed=last["packed"] if last else 0,
        writer=f"fasciculus {__version__}",
    )


def restore_order(db: sqlite3.Connection, seal: Seal, config: Config, restore: Restore) -> RestoreOrder:
    """The order for one restore. A subject that is gone from the records restores all the same."""
    owner = restore.subject
    if restore.subject_kind == "site":
        found = db.execute("SELECT account.name FROM site JOIN account ON account.id=account_id "
                           "WHERE site.name=?", (restore.subject,)).fetchone()
        owner = found[0] if found else ""
    row = db.execute("SELECT host.name FROM account JOIN host ON host.id=host_id WHERE "
                     "account.name=?", (owner,)).fetchone()
    mariadb = None
    host_name = ""
    if row is not None:
        host = inventory.host(db, seal, row[0])
        host_name, mariadb = host.name, mariadb_order(db, seal, host)
    return RestoreOrder(
        subject=SubjectOrder(kind=restore.subject_kind, name=restore.subject,  # type: ignore[arg-type]
                             host=host_name, root=""),
        bundle=restore.bundle, store=store_order(db, seal, restore.store),
        contents=restore.contents, paths=restore.paths, target=restore.target,
        databases=restore.databases, mariadb=mariadb,
        spool=str(config.spool / f"restore-{restore.id}"),
    )


def check_target(config: Config, local_stores: list[str], target: str) -> None:
    """A restore must not land in the service's own folders or in a store."""
    path = os.path.realpath(target)
    for forbidden in [str(config.home), str(config.spool), *local_stores]:
        base = os.path.realpath(forbidden)
        if path == base or path.startswith(base + "/"):
            raise BadSetting(f"{target} lies inside {forbidden}, which Fasciculus itself uses.",
                             "Name another folder.", field="target")


def home_listing(config: Config, kind: str, subject: str, bundle: str, task_id: int) -> Path:
    """Put a finished task's listing where it is looked for, and give that place."""
    target = config.listing(kind, subject, bundle)
    target.parent.mkdir(parents=True, exist_ok=True)
    source = config.listings / "under-way" / f"task-{task_id}.zst"
    if source.exists():
        source.rename(target)
    return target
