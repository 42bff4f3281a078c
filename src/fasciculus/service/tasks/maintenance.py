"""Maintenance of copies: verifying, repairing, repacking."""

from __future__ import annotations

import logging
import shutil
import sqlite3
from collections.abc import Callable
from pathlib import Path

from msgspec.structs import asdict, replace

from ...contracts.events import (
    BundleFound,
    CopyMade,
    CopyRepacked,
    CopyRetired,
    CopyVerified,
    DamageCleared,
    DamageFound,
    DamageMet,
    Event,
    Log,
    RecordsCopyFound,
    StoreSeen,
)
from ...contracts.orders import Order
from ...contracts.results import AnyResult, MaintenanceResult, RepackResult, VerifyResult
from ...core.errors import FasciculusError, SettingError
from ...core.formatting import format_count, format_list
from ...core.subject import Subject, SubjectKind
from ...models import MaintenanceTask
from ...records import imports, transfers
from ...records.bundles import bundles, damage
from ...records.runs import maintenance
from ...records.runs.maintenance import MaintenanceOptions
from ...records.secret_cipher import SecretCipher
from ...records.stores import store_days, stores
from ...records.stores.store_proposals import KINDS, FoundProposal
from ...records.told_settings import settings_of
from ...stores.append_only import append_only_error
from .handler import HandlerBase
from .orders.artifacts import under_way
from .orders.maintenance import RECORDS_COPY, RECORDS_FOLDER, maintenance_order
from .orders.retiring import StoreCredentials
from .progress import TaskProgress
from .queued import QueuedMaintenance

log = logging.getLogger(__name__)


class MaintenanceHandler(HandlerBase[QueuedMaintenance]):
    """Queues, begins, records, shows and ends maintenance."""

    cancelled = "Cancelled; every copy is as intact as before."
    aftermath = "Copies are as intact as before; start it again."

    #: Queues more tasks: damage that was found is repaired at once.
    enqueue: Callable[[list[QueuedMaintenance]], None]

    # Starting ------------------------------------------------------------------

    def queue(
        self,
        kind: str,
        store: str,
        started_by: str,
        subject: str = "",
        bundle: int | None = None,
        options: MaintenanceOptions = MaintenanceOptions(),
        credentials: StoreCredentials | None = None,
    ) -> tuple[list[int], list[QueuedMaintenance]]:
        """Return the numbers of the maintenance of each subject with copies on a store, or of one,
        and the tasks that are new. Asked for twice, it is done once.

        Raises ``SettingError`` for what an append-only store does not allow.
        """
        with self._records.write() as db:
            _check_append_only(db, kind, store, options)
            if kind == "transfer":
                name, subjects = "", lacking(db, self._cipher, store, options, subject)
            elif kind == "import":
                name, subjects = "", [Subject(SubjectKind.STORE, store)]
            else:
                name, subjects = self._subjects(db, kind, store, subject, bundle)
            known = [maintenance.pending(db, kind, store, row, options, name) for row in subjects]
            new = [
                maintenance.add(db, kind, store, row, options, started_by, name)
                for row, number in zip(subjects, known, strict=True)
                if number is None
            ]
            tasks = [self.queued(maintenance.task(db, number)) for number in new]
        for task in tasks:
            task.credentials = credentials
        self._events.changed("maintenance")
        return sorted([*filter(None, known), *new]), tasks

    @staticmethod
    def _subjects(
        db: sqlite3.Connection, kind: str, store: str, subject: str, bundle: int | None
    ) -> tuple[str, list[Subject]]:
        """Return the bundle's name where one was named, and the subjects concerned."""
        if bundle is not None:
            found = bundles.bundle(db, bundle)
            if store not in [copy.store for copy in found.copies]:
                raise SettingError(
                    f"There is no copy of {found.name} on “{store}”.",
                    "Name another store.",
                    field="bundle",
                )
            return found.name, [Subject.of(found.subject_kind, found.subject)]
        subjects = maintenance.subjects_on(db, store, subject)
        if kind == "repair":
            subjects = [row for row in subjects if damage.damaged_files(db, row, [store])]
            if not subjects:
                raise SettingError(
                    f"Nothing on store “{store}” is known to be damaged.",
                    "Verify it first: fasciculus stores verify.",
                    field="subject",
                )
        if not subjects:
            whose = f" of “{subject}”" if subject else ""
            raise SettingError(
                f"There are no copies{whose} on store “{store}”.",
                "Start a job that writes there.",
                field="subject" if subject else None,
            )
        return "", subjects

    def queued(self, row: MaintenanceTask) -> QueuedMaintenance:
        """Return a maintenance task that waits."""
        names = [name for name in (row.store, row.source) if name]
        return QueuedMaintenance(
            number=row.id,
            subject=Subject.of(row.subject_kind, row.subject),
            lane="transfer" if row.kind == "transfer" else "maintenance",
            exclusive=row.kind != "verify",
            store=row.store,
            kind=row.kind,
            store_limits=stores.max_concurrent(self._records.reader, names),
        )

    def begin(self, task: QueuedMaintenance) -> Order:
        """Record that the task runs, and return its order."""
        with self._records.write() as db:
            maintenance.begin(db, task.number)
        task.shown = maintenance.task(self._records.reader, task.number)
        self.show(task)
        return maintenance_order(self._sources(), task.shown, task.credentials)

    # Events --------------------------------------------------------------------

    def take(self, task: QueuedMaintenance, event: Event) -> None:
        """Record an event of a task."""
        if isinstance(event, Log):
            self._log(task, event, "maintenance", task.number)
        elif isinstance(event, CopyRepacked):
            self._repacked(task, event)
        elif isinstance(event, DamageMet):
            task.damaged.add((event.store, event.bundle))
        elif isinstance(event, CopyMade):
            self._made(task, event)
        elif isinstance(event, BundleFound):
            with self._records.write() as db:
                imports.take(db, task.store, event)
            key = (event.subject_kind, event.subject, event.job)
            known = task.newest.get(key)
            if known is None or known.manifest.started <= event.manifest.started:
                task.newest[key] = event
        elif isinstance(event, RecordsCopyFound):
            task.records_copy = event.name
        else:
            with self._records.write() as db:
                _note(db, task, event)

    def _repacked(self, task: QueuedMaintenance, event: CopyRepacked) -> None:
        """Note that a copy's bytes are elsewhere, and keep the listing that says where."""
        with self._records.write() as db:
            alike = maintenance.repacked(db, task.store, task.subject, event.bundle, event.manifest)
            maintenance.refresh_usage(db, task.store, task.subject)
        name = event.bundle if alike else f"{event.bundle}@{task.store}"
        for suffix, place in (("zst", self._config.listing), ("json", self._config.manifest)):
            target = place(*task.subject, name)
            if alike:
                for other in target.parent.glob(f"{event.bundle}@*.{suffix}"):
                    other.unlink()
            target.parent.mkdir(parents=True, exist_ok=True)
            left = f"maintenance-{task.number}/{event.bundle}.{suffix}"
            if not self.collect(under_way(self._config, left), target):
                # It is fetched from the store on request.
                target.unlink(missing_ok=True)

    def _made(self, task: QueuedMaintenance, event: CopyMade) -> None:
        """Note a transferred copy; a repacked one has its own listing."""
        with self._records.write() as db:
            own = transfers.made(
                db,
                task.store,
                task.subject,
                event.bundle,
                event.source,
                event.bytes,
                event.manifest,
            )
        for place in (self._config.listing, self._config.manifest) if own else ():
            source = place(*task.subject, f"{event.bundle}@{event.source}")
            if source.exists():
                shutil.copyfile(source, place(*task.subject, f"{event.bundle}@{task.store}"))
        self._events.changed("bundles")

    # Ending --------------------------------------------------------------------

    def endings(self, task: QueuedMaintenance, result: AnyResult) -> list[Callable[[], None]]:
        """Return the writes that end a task."""
        return [
            lambda: self._end(task, result),
            lambda: self._verify_damaged(task, f"maintenance {task.number}"),
        ]

    def _end(self, task: QueuedMaintenance, result: AnyResult) -> None:
        if task.kind == "verify" and result.outcome in ("warned", "interrupted"):
            # Before this task counts as ended: its callers look for the repair task then.
            self._repair(task)
        if task.damages and task.damages == task.of_retired and isinstance(result, VerifyResult):
            text = f"{format_count(task.damages, 'file')} retired meanwhile, the rest intact."
            result = replace(result, outcome="done", summary=text)
        made = result if isinstance(result, MaintenanceResult) else None
        told = self._told(task)
        with self._records.write() as db:
            if task.newest or told:
                new = imports.finish(db, task.store, task.newest.values(), told)
                if new and made is not None:
                    made.summary += f" {_proposed(task.store, new)}"
                task.newest.clear()
            maintenance.end(
                db,
                task.number,
                result.outcome,
                made.summary if made else result.error,
                made.entries if made else 0,
                made.bytes if made else 0,
                _numbers(result),
            )
            # In the same transaction as its end, so that damage is reported exactly once.
            self.reports.maintenance(db, task.number)
        self.on_reported()
        task.shown = maintenance.task(self._records.reader, task.number)
        self.show(task)
        self._events.changed("stores")

    def _told(self, task: QueuedMaintenance) -> list[FoundProposal]:
        """Return the settings in the copy of the records that an import found, with a log line if
        none can be read.
        """
        path = self._folder(task) / RECORDS_COPY
        left = under_way(self._config, f"maintenance-{task.number}/{RECORDS_COPY}")
        if not task.records_copy or not self.collect(left, path):
            return []
        spool = self._config.spool / f"maintenance-{task.number}"
        try:
            return settings_of(path, self._cipher, spool)
        except (FasciculusError, OSError, sqlite3.Error) as error:
            said = error.sentence() if isinstance(error, FasciculusError) else str(error)
            text = f"{RECORDS_FOLDER}/{task.records_copy} tells nothing of settings: {said}"
            self._log(task, Log("warning", text), "maintenance", task.number)
            return []

    def _repair(self, task: QueuedMaintenance) -> None:
        """Damage is repaired at once where another store has intact copies."""
        db = self._records.reader
        damaged = damage.damaged_files(db, task.subject, [task.store])
        if any(damage.helpers(db, task.store, task.subject, file) for file in damaged):
            try:
                started_by = f"maintenance {task.number}"
                self.enqueue(self.queue("repair", task.store, started_by, task.subject.name)[1])
            except FasciculusError as error:
                log.warning("maintenance %s: %s", task.number, error.sentence())

    def _folder(self, task: QueuedMaintenance) -> Path:
        return self._config.under_way / f"maintenance-{task.number}"

    def clear(self, task: QueuedMaintenance) -> None:
        """Remove the temporary files of a task."""
        shutil.rmtree(self._config.spool / f"maintenance-{task.number}", ignore_errors=True)
        shutil.rmtree(self._folder(task), ignore_errors=True)

    def show(self, task: QueuedMaintenance) -> None:
        """Send the present state to open consoles."""
        if task.shown is not None:
            if task.progress is not None and task.shown.state == "running":
                with_progress(task.shown, task.progress)
            self._events.tell("maintenance", task.shown, subject=task.subject)

    def unfinished(self) -> list[QueuedMaintenance]:
        """Return the queued and running tasks of the records."""
        return [self.queued(row) for row in maintenance.unfinished(self._records.reader)]


def _check_append_only(
    db: sqlite3.Connection, kind: str, store: str, options: MaintenanceOptions
) -> None:
    """Raise ``SettingError`` for what would remove or replace files of an append-only store."""
    is_append_only = stores.fields(db, store).append_only
    if is_append_only and kind in ("repack", "reseal") and not options.dry_run:
        raise append_only_error(store, "its files cannot be rewritten")
    if options.move and stores.fields(db, options.source).append_only:
        raise append_only_error(options.source, "bundles can be copied from it, not moved")
    if kind == "retire" and not is_append_only:
        raise SettingError(
            f"Store “{store}” is not append-only: copies there retire by themselves.",
            "Nothing is to be done.",
        )


def _note(db: sqlite3.Connection, task: QueuedMaintenance, event: Event) -> None:
    """Write what was found of a copy."""
    match event:
        case DamageFound():
            damage.found(db, task.store, task.subject, event)
            # A concurrent run may have retired the affected copies.
            damage.drop_of_retired(db, task.subject)
            task.damages += 1
            task.of_retired += event.file not in damage.damaged_files(
                db, task.subject, [task.store]
            )
        case DamageCleared():
            damage.is_sound(db, task.store, task.subject, event.file)
        case CopyVerified():
            maintenance.verified(db, task.store, task.subject, event.bundle, event.deep)
        case CopyRetired():
            bundles.retire(db, *task.subject, event.bundle, event.store)
        case StoreSeen():
            store_days.seen(db, event.store, event.sent, event.received, event.free)


def lacking(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    store: str,
    options: MaintenanceOptions,
    subject: str,
) -> list[Subject]:
    """Return the subjects of which a store lacks bundles, or of which an earlier move left some
    behind. Raises ``SettingError`` if there are none.
    """
    source = options.source
    if source == store:
        raise SettingError("A store cannot be copied to itself.", "Name two.", field="source")
    if source:
        stores.store(db, cipher, source)
        found = transfers.missing(db, store, source)
        if options.move:
            found = {**transfers.on_both(db, store, source), **found}
        what = f"Store “{store}” lacks nothing that store “{source}” has."
    else:
        found = transfers.missed(db, store)
        what = f"Store “{store}” has all that its jobs want there."
    subjects = [row for row in found if subject in ("", row[1])]
    if not subjects:
        raise SettingError(what, "There is nothing to bring.")
    return subjects


def _numbers(result: AnyResult) -> dict[str, int]:
    """Return the numbers of repacking, as the API shows them."""
    if not isinstance(result, RepackResult):
        return {}
    names = ("pieces", "stored", "holds", "unused", "chosen", "frees", "freed")
    return {name: value for name, value in asdict(result).items() if name in names}


def with_progress(shown: MaintenanceTask, live: TaskProgress) -> None:
    """Put the live numbers into the output model of a maintenance task."""
    progress = live.progress
    shown.stage, shown.entries = progress.stage, progress.entries
    shown.bytes, shown.total = progress.bytes, progress.total


def _proposed(store: str, rows: list[FoundProposal]) -> str:
    """Return a sentence about the proposals of an import, and how to accept them."""
    counts = [
        format_count(sum(row.kind == kind for row in rows), kind)
        for kind in KINDS
        if any(row.kind == kind for row in rows)
    ]
    return (
        f"Proposed: {format_list(counts)}. Look at them: fasciculus stores proposals {store}. "
        f"Accept them: fasciculus stores accept {store} --all"
    )
