"""From the records to self-contained orders."""

from __future__ import annotations

import os
import shlex
import sqlite3
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from ... import __version__
from ...config import Config
from ...core.dump.filters import DatabaseRules
from ...core.errors import SettingError
from ...models import (
    Account,
    Host,
    Job,
    MaintenanceTask,
    Restore,
)
from ...records import (
    bundles,
    inventory,
    maintenance,
    runs,
    stores,
)
from ...records.encryption import SecretCipher
from ...records.paging import PageRequest
from ...worker.orders import (
    BundleOrder,
    CommandOrder,
    CopyOrder,
    DatabaseOrder,
    HostOrder,
    MailOrder,
    MariaDbOrder,
    MendOrder,
    NoteOrder,
    PreviewOrder,
    PreviousOrder,
    RepackOrder,
    RestoreOrder,
    StoreOrder,
    SubjectOrder,
    VerifyOrder,
)

_LEAST_PIECE = 64 * 1024 * 1024


def store_order(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> StoreOrder:
    """How to reach a store, secrets included."""
    store = stores.store(db, cipher, name)
    return StoreOrder(
        name=store.name,
        kind=store.kind,
        settings=settings_of(store.model_dump()),
        secrets=stores.secrets(db, cipher, name),
        store_id=stores.mark_of(db, name) or "",
    )


def settings_of(store: dict[str, object]) -> dict[str, object]:
    """The part of a store's document that says how to reach it."""
    keys = ("path", "address", "port", "user", "folder", "host_key")
    return {key: store[key] for key in keys}


def mariadb_order(db: sqlite3.Connection, cipher: SecretCipher, host: Host) -> MariaDbOrder | None:
    if host.mariadb is None:
        return None
    password = inventory.host_secrets(db, cipher, host.name).get("mariadb_password", "")
    return MariaDbOrder(**host.mariadb.model_dump(), password=password)


def host_order(db: sqlite3.Connection, cipher: SecretCipher, host: Host) -> HostOrder:
    """How to reach a host, secrets included."""
    if host.kind == "local":
        return HostOrder(name=host.name)
    secrets = inventory.host_secrets(db, cipher, host.name)
    return HostOrder(
        name=host.name,
        address=host.address,
        port=host.port,
        user=host.user,
        host_key=host.host_key,
        secrets={key: value for key, value in secrets.items() if key != "mariadb_password"},
    )


def mail_order(host: Host, domains: list[str], messages: bool) -> MailOrder:
    return MailOrder(domains=domains, messages=messages, **host.mail.model_dump())


def _subject(account: Account, kind: str, name: str) -> SubjectOrder:
    if kind == "account":
        return SubjectOrder(
            kind="account",
            name=name,
            host=account.host,
            root=account.home,
            site_roots={site.name: site.root for site in account.sites},
        )
    root = next((site.root for site in account.sites if site.name == name), None)
    if root is None:
        raise SettingError(f"There is no site “{name}” any more.", "Change the job.")
    return SubjectOrder(kind="site", name=name, host=account.host, root=root)


def _databases(
    account: Account, subject: SubjectOrder, wants: DatabaseRules
) -> list[DatabaseOrder]:
    """All of an account's, or those that a site uses; SQLite paths are made relative to the
    root.
    """
    rows = []
    for database in account.databases:
        if subject.kind == "site" and database.site != subject.name:
            continue
        if not wants.wants(database.name):
            continue
        path = database.path
        if database.engine == "sqlite" and subject.kind == "site":
            whole = os.path.join(account.home, path)
            if not whole.startswith(subject.root + "/"):
                raise SettingError(
                    f"The SQLite database {database.name} of site {subject.name} lies outside its "
                    "document root.",
                    "Protect the account instead of the site.",
                )
            path = os.path.relpath(whole, subject.root)
        rows.append(DatabaseOrder(engine=database.engine, name=database.name, path=path))
    return rows


def _local_stores(db: sqlite3.Connection, cipher: SecretCipher) -> list[str]:
    return [
        str(row.path)
        for row in stores.stores(db, cipher, PageRequest(limit=10_000)).items
        if row.kind == "folder"
    ]


def _targets(
    db: sqlite3.Connection, cipher: SecretCipher, job: Job, kind: str, name: str
) -> list[StoreOrder]:
    targets = []
    for store_name in job.stores:
        target = store_order(db, cipher, store_name)
        known = bundles.known_on(db, kind, name, job.name, store_name)
        target.known = [row[0] for row in known]
        target.pinned = [row[0] for row in known if row[1]]
        targets.append(target)
    return targets


def _filled(text: str, subject: SubjectOrder, account: str) -> str:
    """A command of the job with the subject's own names in it; other braces are left alone."""
    for mark, value in (
        ("{account}", account),
        ("{subject}", subject.name),
        ("{home}", subject.root),
    ):
        text = text.replace(mark, shlex.quote(value) if value else "")
    return text


def hold_flags(host: Host, account: Account | None, subject: SubjectOrder) -> list[str]:
    """The flag files of a subject's hold pages."""
    if not host.hold_flag or account is None:
        return []
    sites = [subject.name] if subject.kind == "site" else [site.name for site in account.sites]
    if "{site}" not in host.hold_flag:
        sites = [""]
    return [host.hold_flag.format(site=site, account=account.name) for site in sites]


def _previous(
    db: sqlite3.Connection, config: Config, job: Job, kind: str, name: str
) -> tuple[PreviousOrder | None, str]:
    """What an incremental bundle builds on, or why it is time for a full one."""
    if job.mode == "full" or bundles.newest(db, kind, name, job.name) is None:
        return None, ""
    # Not simply the newest: a store that missed a night must not cost all of them a full one.
    found = bundles.newest_on_all(db, kind, name, job.name, job.stores)
    if found is None:
        return None, "no bundle before is on all stores of the job"
    before, manifest = found
    if not manifest.get("base"):
        return None, ""
    listing = config.listing(kind, name, before)
    # Repacking may have given the copies manifests of their own.
    for store in job.stores:
        for held in maintenance.held_on(db, store, (kind, name), before):
            if held.manifest["listing_sha256"] == manifest["listing_sha256"]:
                continue
            if store != job.stores[0]:
                return (
                    None,
                    "the stores hold the bundle before in different pieces, since one was repacked",
                )
            manifest, listing = held.manifest, config.listing(kind, name, f"{before}@{store}")
    age = datetime.now(UTC) - datetime.fromisoformat(manifest["base"])
    if age.days >= job.full_every:
        return None, f"the last full one is {age.days} days old"
    if manifest["dead_share"] * 100 > job.dead_share:
        return None, f"{manifest['dead_share']:.0%} of the pieces is dead weight"
    if not listing.exists():
        return None, f"the listing of {before} is not at hand"
    return PreviousOrder(
        name=before,
        base=manifest["base"],
        listing=str(listing),
        pieces=manifest["pieces"],
        listing_sha256=manifest["listing_sha256"],
        states=str(config.states(kind, name, before)),
    ), ""


def _compares(
    db: sqlite3.Connection, job: Job, kind: str, name: str, previous: PreviousOrder | None
) -> bool:
    """Whether it is this bundle's turn to compare contents."""
    if not job.compare_every or previous is None:
        return False
    return bundles.count_since(db, kind, name, job.name, previous.base) % job.compare_every == 0


def bundle_order(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    config: Config,
    job: Job,
    run_id: int,
    task_id: int,
    kind: str,
    name: str,
) -> BundleOrder:
    """The order for one task of a run."""
    account: Account | None = None
    if kind == "host":
        host = inventory.host(db, cipher, name)
        subject = SubjectOrder(kind="host", name=name, host=name, root="")
    else:
        owner = name if kind == "account" else inventory.account_of_site(db, name)
        account = inventory.account(db, owner)
        host = inventory.host(db, cipher, account.host)
        subject = _subject(account, kind, name)
    owner = account.name if account else ""
    domains = account.mail_domains if account else []
    if kind == "site":
        domains = [domain for domain in domains if domain == name]
    wants = job.databases.as_core()
    spool = config.spool / f"task-{task_id}"
    full, compare = runs.asked(db, run_id)
    previous, why_full = (
        (None, "it was asked for") if full else _previous(db, config, job, kind, name)
    )
    last = bundles.newest(db, kind, name, job.name)
    needed = {f"pieces/{piece['name']}" for piece in previous.pieces} if previous else set()
    damaged = [
        file.removeprefix("pieces/")
        for file in maintenance.damaged_files(db, (kind, name), job.stores)
        if file in needed
    ]
    return BundleOrder(
        run=run_id,
        job=job.name,
        subject=subject,
        contents=list(job.contents),
        databases=_databases(account, subject, wants) if account else [],
        all_databases=kind == "host" and "databases" in job.contents,
        database_rules=wants,
        mariadb=mariadb_order(db, cipher, host),
        mail=mail_order(host, domains, job.messages)
        if "mail" in job.contents and domains
        else None,
        host=host_order(db, cipher, host),
        rules=job.rules.as_core(account.excludes if account else ()),
        system=[
            pattern.replace("{account}", owner)
            for pattern in (host.account_system if account else host.system)
        ],
        system_user=owner,
        notes=[
            NoteOrder(
                name=note.name, command=_filled(note.command, subject, owner), seconds=note.seconds
            )
            for note in job.notes
        ],
        commands=[
            CommandOrder(
                when=row.when,
                command=_filled(row.command, subject, owner),
                seconds=row.seconds,
                stops=row.stops,
            )
            for row in job.commands
        ],
        previous=previous,
        why_full=why_full,
        damaged=damaged,
        before=str(config.listing(kind, name, last["name"])) if last else "",
        compare=compare or _compares(db, job, kind, name, previous),
        hold_flags=hold_flags(host, account, subject) if job.hold_page else [],
        stores=_targets(db, cipher, job, kind, name),
        keep=job.keep,
        compression=job.compression,
        level=job.level,
        piece_size=job.piece_size,
        threads=config.threads or os.cpu_count() or 2,
        spool=str(spool),
        spool_limit=config.spool_limit,
        listing=str(config.listings / "under-way" / f"task-{task_id}.zst"),
        states=str(config.listings / "under-way" / f"task-{task_id}.states")
        if job.mode == "incremental"
        else "",
        left_out=[str(config.home), str(config.spool), *_local_stores(db, cipher)],
        expected_bytes=last["bytes"] if last else 0,
        expected_packed=last["packed"] if last and previous is None else 0,
        writer=f"fasciculus {__version__}",
    )


def preview_order(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    config: Config,
    job: Job,
    kind: str,
    name: str,
    number: int,
) -> PreviewOrder:
    """The order to say what a job would take of a subject."""
    account = inventory.account(
        db, name if kind == "account" else inventory.account_of_site(db, name)
    )
    subject = _subject(account, kind, name)
    last = bundles.newest(db, kind, name, job.name)
    measured = bundles.measured(db, kind, name, ["files"])
    return PreviewOrder(
        subject=subject,
        host=host_order(db, cipher, inventory.host(db, cipher, account.host)),
        left_out=[str(config.home), str(config.spool), *_local_stores(db, cipher)],
        rules=job.rules.as_core(account.excludes),
        contents=list(job.contents),
        databases=_databases(account, subject, job.databases.as_core()),
        listing=str(config.listing(kind, name, last["name"])) if last else "",
        ratio=measured[1] / measured[0] if measured and measured[0] else 0.0,
        spool=str(config.spool / f"preview-{number}"),
    )


def restore_order(
    db: sqlite3.Connection, cipher: SecretCipher, config: Config, restore: Restore
) -> RestoreOrder:
    """The order for one restore. A subject that is gone from the records restores all the same."""
    owner = restore.subject
    if restore.subject_kind == "site":
        found = db.execute(
            "SELECT account.name FROM site JOIN account ON account.id=account_id WHERE site.name=?",
            (restore.subject,),
        ).fetchone()
        owner = found[0] if found else ""
    row = db.execute(
        "SELECT host.name FROM account JOIN host ON host.id=host_id WHERE account.name=?", (owner,)
    ).fetchone()
    mariadb, mail, connection = None, None, HostOrder()
    host_name = restore.subject if restore.subject_kind == "host" else row[0] if row else ""
    if host_name:
        host = inventory.host(db, cipher, host_name)
        mariadb, connection = mariadb_order(db, cipher, host), host_order(db, cipher, host)
        mail = mail_order(host, restore.mail_domains, True) if restore.mail_domains else None
    elif restore.mail_domains:
        raise SettingError(
            f"{restore.subject} is on no host any more.",
            "Add the account again, then restore its mail settings.",
        )
    return RestoreOrder(
        subject=SubjectOrder(
            kind=restore.subject_kind,  # type: ignore[arg-type]
            name=restore.subject,
            host=host_name,
            root="",
        ),
        bundle=restore.bundle,
        store=store_order(db, cipher, restore.store),
        contents=restore.contents,
        paths=restore.paths,
        target=restore.target,
        databases=restore.databases,
        mariadb=mariadb,
        mail=mail,
        host=connection,
        spool=str(config.spool / f"restore-{restore.id}"),
    )


def maintenance_order(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    config: Config,
    work: MaintenanceTask,
    options: dict[str, Any],
    spool: str,
    listings: str,
) -> VerifyOrder | MendOrder | RepackOrder:
    """The order for one maintenance task."""
    subject = (work.subject_kind, work.subject)
    held = [
        CopyOrder(
            name=row.bundle,
            listing_sha256=row.manifest["listing_sha256"],
            listing=str(
                config.listing(*subject, f"{row.bundle}@{work.store}" if row.own else row.bundle)
            ),
        )
        for row in maintenance.held_on(db, work.store, subject, work.bundle)
    ]
    common: dict[str, Any] = {
        "subject": SubjectOrder(kind=work.subject_kind, name=work.subject, host="", root=""),  # type: ignore[arg-type]
        "store": store_order(db, cipher, work.store),
        "bundles": held,
        "spool": spool,
    }
    damaged = maintenance.damaged_files(db, subject, [work.store])
    match work.kind:
        case "verify":
            return VerifyOrder(**common, deep=work.deep, suspects=damaged)
        case "mend":
            return MendOrder(
                **common,
                files=damaged,
                sources=[
                    store_order(db, cipher, name)
                    for name in maintenance.other_stores(db, work.store, subject)
                ],
            )
        case "repack":
            sizes = [
                row["bytes"]
                for one in maintenance.held_on(db, work.store, subject)
                for row in one.manifest["pieces"]
            ]
            return RepackOrder(
                **common,
                over=options.get("over", 20) / 100,
                dry_run=work.dry_run,
                listings=listings,
                piece_size=max([_LEAST_PIECE, *sizes]),
                threads=config.threads or os.cpu_count() or 2,
                spool_limit=config.spool_limit,
            )


def check_target(config: Config, local_stores: list[str], target: str) -> None:
    """A restore must not land in the service's own folders or in a store."""
    path = os.path.realpath(target)
    for forbidden in [str(config.home), str(config.spool), *local_stores]:
        base = os.path.realpath(forbidden)
        if path == base or path.startswith(base + "/"):
            raise SettingError(
                f"{target} lies inside {forbidden}, which Fasciculus itself uses.",
                "Name another folder.",
                field="target",
            )


def home_listing(config: Config, kind: str, subject: str, bundle: str, task_id: int) -> Path:
    """Put a finished task's listing, and the states of its files, where they are looked for; gives
    the first place.
    """
    target = config.listing(kind, subject, bundle)
    target.parent.mkdir(parents=True, exist_ok=True)
    for suffix, place in (("zst", target), ("states", config.states(kind, subject, bundle))):
        source = config.listings / "under-way" / f"task-{task_id}.{suffix}"
        if source.exists():
            source.rename(place)
    return target
