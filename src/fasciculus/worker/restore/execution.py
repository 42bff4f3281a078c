"""Executes a restore plan: files, databases, mail."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

from ...bundles.files import unsealed
from ...contracts.events import Progress
from ...contracts.orders import MailOrder
from ...core.bundle.entry import DIR, Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.bundle.reader import BundleReader, is_at_or_below, only
from ...core.errors import (
    DamagedError,
    MissingError,
)
from ...databases import ENGINES
from ...hosts.base import HostConnection
from ...stores.base import Store
from ..database_access import database_access
from ..emitter import Emitter
from .database_members import database_of, members_of
from .losses import Losses
from .mail import MailSettingsRestore
from .mail_lines import KeptMail
from .plan import RestorePlan
from .writer import EntryWriter, ReplacingWriter

_REPORT_EVERY = 64


class PlanExecution:
    """Restores everything in a plan; ``writer`` writes the files, None for none."""

    def __init__(
        self,
        plan: RestorePlan,
        host: HostConnection,
        writer: EntryWriter | None,
        emitter: Emitter,
        losses: Losses,
        progress: Progress,
    ) -> None:
        self._plan, self._host, self._writer = plan, host, writer
        self._emitter, self._losses, self._progress = emitter, losses, progress
        folder = plan.order.mail_kept
        #: The lines of mail files that are replaced.
        self.kept_mail = KeptMail(Path(folder)) if folder is not None else None

    def run(self, store: Store, spool: Path) -> int:
        """Bring everything back; return the number of entries that came."""
        plan, order = self._plan, self._plan.order
        count = 0
        with BundleReader(unsealed(store), order.source, spool) as reader:
            if self._writer is not None:
                count += self._files(plan.entries(), self._writer, plan.databases, reader)
            for record in plan.databases:
                entries = only(plan.entries(["databases"]), plan.paths)
                count += self._loaded(record, order.databases[record.name], entries, reader)
            if order.mail is not None:
                count += self._mail(order.mail, reader, spool)
        return count

    def _mail(self, order: MailOrder, reader: BundleReader, spool: Path) -> int:
        self._progress.stage = "mail"
        mail = MailSettingsRestore(
            order,
            self._host,
            self._emitter,
            self._losses,
            lambda folder: self._replacing(folder, spool),
            self._plan.with_special_modes,
            self.kept_mail,
        )
        return mail.run(lambda: self._plan.entries(["mail"]), reader)

    def _replacing(self, folder: str, spool: Path) -> EntryWriter:
        """Return a writer into a folder in use on the host."""
        return ReplacingWriter(
            self._host.writable_tree(folder),
            spool,
            self._emitter,
            self._losses,
            self._progress,
            self._plan.with_special_modes,
            self._plan.order.owners,
        )

    def _loaded(
        self, record: DatabaseRecord, name: str, entries: Iterator[Entry], reader: BundleReader
    ) -> int:
        try:
            return self._load(record, name, entries, reader)
        except (DamagedError, MissingError) as error:
            self._losses.damaged(f"database {record.name}", error.message)
            self._emitter.error(f"database {name} is there, but not complete")
            return 0

    def _files(
        self,
        entries: Iterator[Entry],
        writer: EntryWriter,
        mapped: list[DatabaseRecord],
        reader: BundleReader,
    ) -> int:
        """Fill the target folder; return the number of entries that came back."""
        count, paths = 0, self._plan.paths
        missing = set(paths)
        for entry in entries:
            asked = [path for path in paths if is_at_or_below(entry.path, path)]
            missing.difference_update(asked)
            if paths and not asked:
                # What leads there gets its owner and mode too.
                leads = entry.type == DIR and any(_leads_to(entry.path, path) for path in paths)
                if leads and writer.layout.is_full:
                    writer.parent(entry.name, entry)
                continue
            if database_of(entry, mapped) is None:
                self._progress.stage = entry.kind
                count += writer.put(self.place(entry, writer), entry, reader)
                if count % _REPORT_EVERY == 0:
                    self._emitter.emit(self._progress)
        writer.finish()
        if count or self._losses:
            for path in sorted(missing):
                self._losses.not_written(os.fsdecode(path), "the bundle holds no such path")
        return count

    @staticmethod
    def place(entry: Entry, writer: EntryWriter) -> bytes:
        """Return where an entry goes below the target; an SQLite database goes back among the
        files.
        """
        is_file = entry.kind == "databases" and entry.origin is not None and writer.layout.is_full
        if is_file and writer.tree.holds(b"files"):
            return b"files/" + entry.origin if entry.origin else entry.name
        return writer.layout.place(entry.kind, entry.path)

    def _load(
        self, record: DatabaseRecord, name: str, entries: Iterator[Entry], reader: BundleReader
    ) -> int:
        self._progress.stage = "databases"
        order = self._plan.order
        access = database_access(record.engine, order.host, self._host, "", order.spool)
        members = members_of(record, entries, reader)
        count = 0
        engine = ENGINES.get(record.engine)

        def refuse(why: str) -> None:
            self._losses.not_written(f"database {name}", why)

        for entry in engine.restore(
            access,
            record,
            name,
            members,
            refuse,
            self._plan.with_special_modes,
            order.tables.get(record.name, ()),
        ):
            count += 1
            self._progress.entries += 1
            self._progress.bytes += entry.size
            self._emitter.emit(self._progress)
        self._emitter.info(f"database {record.name} is back as {name}")
        return count


def _leads_to(folder: bytes, path: bytes) -> bool:
    """Return whether a folder is on the way to a path."""
    return not folder or path.startswith(folder + b"/")
