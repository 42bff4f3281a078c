"""The order for one task of a run."""

from __future__ import annotations

import os
import re
import unicodedata
from datetime import UTC, datetime

from .... import __version__
from ....contracts.orders import (
    BackupOrder,
    MailOrder,
    NoteOrder,
    PreviousOrder,
    StoreOrder,
)
from ....core import retention
from ....core.retention import RetentionCopy
from ....core.subject import Subject, SubjectKind
from ....models import JobInput
from ....records import inventory
from ....records.bundles import bundles, change_alarms, damage
from ....records.jobs import pauses
from ....records.runs import runs
from ....records.stores import stores
from ... import timetables
from .artifacts import kept, own_folders, spool, under_way
from .connections import (
    OrderInputs,
    host_order_from_fields,
    local_stores,
    mail_order,
    recorded_copies,
    store_order,
)
from .hooks import command_orders, hold_flags, with_names
from .previous import compares_contents, is_turn_by_sftp, previous_order
from .subjects import FoundSubject, databases_of, find_subject


def backup_order(
    sources: OrderInputs, job: JobInput, run_id: int, task_id: int, kind: SubjectKind, name: str
) -> BackupOrder:
    """Return the order for one bundle."""
    config, db = sources.config, sources.db
    subject = find_subject(sources, kind, name)
    options = runs.options(db, run_id)
    seal_to = sealed_to(sources, job)
    previous, why_full = (
        (None, "it was asked for")
        if options.full
        else previous_order(sources, job, kind, name, seal_to)
    )
    last = bundles.newest(db, kind, name, job.name)
    rules = job.databases.as_core()
    account = subject.account
    left = f"task-{task_id}"
    return BackupOrder(
        run=run_id,
        job=job.name,
        subject=subject.order,
        contents=list(job.contents),
        databases=databases_of(subject, rules),
        all_databases=kind == "host" and "databases" in job.contents,
        database_rules=rules,
        mail=_mail(subject, job),
        host=host_order_from_fields(
            subject.host, inventory.host_secrets(db, sources.cipher, subject.host.name)
        ),
        rules=job.rules.as_core(account.excludes if account else ()),
        system=_system(subject),
        system_user=subject.owner,
        notes=_notes(job, subject),
        commands=command_orders(job.commands, subject),
        previous=previous,
        why_full=why_full,
        damaged=_damaged(sources, job, kind, name, previous),
        before=kept(config, config.listing(kind, name, last["name"])) if last else None,
        compare=options.compare or compares_contents(sources, job, kind, name, previous),
        compare_by_sftp=is_turn_by_sftp(sources, job, kind, name, previous),
        hold_flags=hold_flags(subject.host, account, subject.order) if job.hold_page else [],
        stores=_stores(sources, job, kind, name),
        taken=bundles.recent_names(db, kind, name),
        label=slug(options.label),
        started=datetime.now(UTC).isoformat(),
        compression=job.compression,
        level=job.level,
        piece_size=job.piece_size,
        threads=config.threads or os.cpu_count() or 2,
        spool=spool(config, left),
        spool_limit=config.spool_limit,
        listing=under_way(config, f"{left}.zst"),
        manifest=under_way(config, f"{left}.json"),
        states=under_way(config, f"{left}.states") if job.mode == "incremental" else None,
        own_folders=own_folders(config),
        excluded=local_stores(sources),
        seal_to=seal_to,
        hidden=inventory.hidden(sources.db).get(subject.host.name, "")
        if "databases" in job.contents
        else "",
        usual_changes=change_alarms.usual(sources.db, kind, name, job.name),
        most_changes=job.watch.changes,
        expected_bytes=last["bytes"] if last else 0,
        expected_packed=last["packed"] if last and previous is None else 0,
        writer=f"fasciculus {__version__}",
    )


def slug(label: str) -> str:
    """Return the label of a run as part of a file name; empty without a label."""
    letters = unicodedata.normalize("NFKD", label).encode("ascii", "ignore").decode()
    found = re.sub(r"[^a-z0-9]+", "-", letters.lower()).strip("-")
    return found or ("own-name" if label else "")


def sealed_to(sources: OrderInputs, job: JobInput) -> list[str]:
    """Return the public keys of a job and of all its stores: one bundle goes to all of them."""
    wanted = list(job.recipients)
    for name in job.stores:
        wanted += stores.fields(sources.db, name).recipients
    return sorted(set(wanted))


def _stores(sources: OrderInputs, job: JobInput, kind: SubjectKind, name: str) -> list[StoreOrder]:
    found = []
    for store_name in job.stores:
        store = store_order(sources, store_name)
        # Only this job's own copies: no keep rule touches those of another job.
        known = bundles.known_on(sources.db, kind, name, job.name, store_name)
        store.known = [copy.name for copy in known]
        store.pinned = [copy.name for copy in known if copy.pinned]
        store.unsound = [copy.name for copy in known if not copy.good]
        store.keep, store.keep_zone = job.keep_for(store_name), job.zone
        store.recorded = recorded_copies(sources, store_name, Subject.of(kind, name))
        store.locked_until = _locked_until(sources, job, store, known)
        found.append(store)
    return found


def _locked_until(
    sources: OrderInputs, job: JobInput, store: StoreOrder, known: list[RetentionCopy]
) -> str:
    """Return until when the copy is to be locked; empty where the store locks none."""
    settings, now = store.spec().settings, datetime.now(UTC)
    if not settings.lock_mode():
        return ""
    timed = timetables.of_job(job, pauses.pauses(sources.db, now))
    starts = timed.starts(now) if job.enabled else iter(())
    rule = retention.parse(store.keep)
    until = retention.locked_until(now, known, rule, starts, timed.where)
    return until.isoformat(timespec="seconds") if until is not None else ""


def _mail(subject: FoundSubject, job: JobInput) -> MailOrder | None:
    domains = subject.account.mail_domains if subject.account else []
    if subject.order.kind == "site":
        domains = [domain for domain in domains if domain == subject.order.name]
    if "mail" not in job.contents or not domains:
        return None
    return mail_order(subject.host, domains, job.messages)


def _system(subject: FoundSubject) -> list[str]:
    patterns = subject.host.account_system if subject.account else subject.host.system
    return [pattern.replace("{account}", subject.owner) for pattern in patterns]


def _notes(job: JobInput, subject: FoundSubject) -> list[NoteOrder]:
    return [
        NoteOrder(name=note.name, command=with_names(note.command, subject), seconds=note.seconds)
        for note in job.notes
    ]


def _damaged(
    sources: OrderInputs,
    job: JobInput,
    kind: SubjectKind,
    name: str,
    previous: PreviousOrder | None,
) -> list[str]:
    """Return the pieces of the previous bundle that are known to be damaged."""
    needed = {f"pieces/{piece.name}" for piece in previous.pieces} if previous else set()
    files = damage.damaged_files(sources.db, Subject.of(kind, name), job.stores)
    return [file.removeprefix("pieces/") for file in files if file in needed]
