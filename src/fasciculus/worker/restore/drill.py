"""Drills: a bundle is restored into a scratch place, compared, and removed again."""

from __future__ import annotations

import os
import shutil
from collections.abc import Callable, Iterable
from pathlib import Path

from blake3 import blake3

from ...bundles.files import unsealed
from ...contracts.events import Progress
from ...contracts.orders import DrillOptions, DrillPage
from ...contracts.results import RestoreResult
from ...core.bundle.entry import FILE, Entry
from ...core.bundle.manifest import DatabaseRecord
from ...core.bundle.reader import BundleReader
from ...core.errors import FasciculusError, SettingError
from ...core.restore.drill import DrillFigures
from ...databases import ENGINES
from ...databases.base import DatabaseAccess, Exchange, Exchanging
from ...hosts.base import HostConnection
from ...hosts.local_tree import LocalTree
from ...stores.base import Store
from ..database_access import database_access
from ..emitter import Emitter
from .database_members import members_of
from .drill_page import CopiedPage
from .execution import PlanExecution
from .losses import Losses
from .plan import RestorePlan
from .target import check_target
from .writer import EntryWriter

_CHUNK = 1024 * 1024
_REPORT_EVERY = 64


class Drill:
    """Carries out one drill, and removes all scratch data, also after an error."""

    def __init__(
        self,
        plan: RestorePlan,
        options: DrillOptions,
        host: HostConnection,
        emitter: Emitter,
        losses: Losses,
        progress: Progress,
    ) -> None:
        self._plan, self._options, self._host = plan, options, host
        self._emitter, self._losses, self._progress = emitter, losses, progress
        self._figures = DrillFigures()

    def run(self, store: Store, spool: Path) -> RestoreResult:
        """Restore, compare, and remove everything."""
        folder = spool / "drill"
        try:
            count = self._files(store, spool, folder)
            self._databases(store, spool)
            if self._options.page is not None:
                # The copy's databases are prepared under the same names.
                self._clear()
                self._page(self._options.page, store, spool)
        finally:
            shutil.rmtree(folder, ignore_errors=True)
            self._clear()
        self._emitter.info(self._figures.words)
        return RestoreResult(
            outcome="failed" if self._losses else "warned" if self._emitter.warnings else "done",
            error=self._losses.sentence(store.spec.name, count) if self._losses else "",
            entries=count,
            bytes=self._progress.bytes,
            drill=self._figures,
        )

    # Files -----------------------------------------------------------------------

    def _files(self, store: Store, spool: Path, folder: Path) -> int:
        """Bring everything back into a folder, and compare it; return the number of entries."""
        tree = LocalTree(os.fsencode(folder))
        check_target(tree, self._plan)
        writer = EntryWriter(
            tree,
            spool,
            self._emitter,
            self._losses,
            self._progress,
            self._plan.with_special_modes,
            {},
        )
        try:
            execution = PlanExecution(
                self._plan, self._host, writer, self._emitter, self._losses, self._progress
            )
            count = execution.run(store, spool)
            self._progress.stage = "comparing"
            for number, entry in enumerate(self._plan.entries()):
                self._compare(entry, tree, execution.place(entry, writer))
                if number % _REPORT_EVERY == 0:
                    self._emitter.emit(self._progress)
        finally:
            writer.close()
        if not count and not self._losses:
            raise SettingError("The bundle holds nothing.", "Look at its listing.", field="bundle")
        return count

    def _compare(self, entry: Entry, tree: LocalTree, path: bytes) -> None:
        try:
            why = _difference(entry, tree, path)
        except OSError as error:
            why = f"cannot be read again: {error.strerror}"
        if why:
            self._losses.not_written(entry.text, why)
        elif entry.type == FILE:
            self._figures.files += 1
            self._figures.bytes += entry.size

    # Databases -------------------------------------------------------------------

    def _databases(self, store: Store, spool: Path) -> None:
        """Load the databases into scratch ones on the server where they belong, and count them."""
        wanted = set(self._options.databases)
        records = [r for r in self._plan.manifest.databases if not r.origin and r.name in wanted]
        if not records:
            return
        self._progress.stage = "databases"
        with BundleReader(unsealed(store), self._plan.order.source, spool) as reader:
            for number, record in enumerate(records, 1):
                try:
                    self._load(record, number, reader, spool)
                except FasciculusError as error:
                    self._losses.not_written(f"database {record.name}", error.sentence())

    def _load(self, record: DatabaseRecord, number: int, reader: BundleReader, spool: Path) -> None:
        exchanging = ENGINES.get(record.engine).exchanging
        if exchanging is None:
            self._emitter.warn(f"database {record.name}: its engine loads no scratch database")
            return
        before = self._losses.count
        exchange = Exchange(
            engine=record.engine,
            # Nothing in use is compared with it.
            name=f"{self._options.prefix}_{number}_none",
            prefix=f"{self._options.prefix}_{number}",
            trusted=self._plan.with_special_modes,
        )

        def refuse(why: str) -> None:
            self._losses.not_written(f"database {record.name}", why)

        members = members_of(record, self._plan.entries(["databases"]), reader)
        folder = spool / f"drill-{number}"
        for entry in exchanging.stage(
            self._access(record.engine), exchange, record, members, refuse, folder
        ):
            self._progress.entries += 1
            self._progress.bytes += entry.size
            self._emitter.emit(self._progress)
        if self._losses.count == before:
            self._figures.databases += 1
            self._figures.tables += len(record.tables)
            self._figures.rows += sum(record.tables.values())

    # Page ------------------------------------------------------------------------

    def _page(self, page: DrillPage, store: Store, spool: Path) -> None:
        """Have a copy next to the original answer a request."""
        self._progress.stage = "page"
        copy = CopiedPage(
            self._plan.order, page, self._host, self._emitter, self._losses, self._progress
        )
        try:
            self._figures.page = copy.status(store, spool)
        except FasciculusError as error:
            self._losses.not_written(f"page of {page.address}", error.sentence())

    def _clear(self) -> None:
        clear_drill(self._options, self._plan.order.host.servers, self._access, self._emitter)

    def _access(self, engine: str) -> DatabaseAccess:
        order = self._plan.order
        return database_access(engine, order.host, self._host, "", order.spool)


def clear_drill(
    options: DrillOptions,
    engines: Iterable[str],
    access: Callable[[str], DatabaseAccess],
    emitter: Emitter,
) -> None:
    """Remove the scratch databases of a drill; what cannot be removed is a warning."""
    for engine in engines if options.databases else ():
        exchanging: Exchanging | None = ENGINES.get(engine).exchanging
        if exchanging is None:
            continue
        try:
            exchanging.drop_all(access(engine), f"{options.prefix}_")
        except FasciculusError as error:
            emitter.warn(f"databases {options.prefix}_… could not be removed: {error.sentence()}")


def _difference(entry: Entry, tree: LocalTree, path: bytes) -> str:
    """Return how an entry that came back differs from the bundle's, empty if it does not."""
    if not tree.holds(path):
        return "did not come back"
    if entry.type != FILE:
        return ""
    descriptor = tree.open_file(path)
    found = blake3()
    with os.fdopen(descriptor, "rb") as file:
        while data := file.read(_CHUNK):
            found.update(data)
    return "" if found.hexdigest() == entry.digest or not entry.digest else "differs"
