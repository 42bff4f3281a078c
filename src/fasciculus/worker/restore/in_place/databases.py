"""Databases of a server in a restore in place: planned, loaded next to those in use, exchanged."""

from __future__ import annotations

import shlex
import shutil
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import BinaryIO

import msgspec

from ....contracts.events import Progress
from ....contracts.orders import HostOrder, Relocation
from ....core.bundle.manifest import DatabaseRecord
from ....core.bundle.reader import BundleReader
from ....core.contents import Contents
from ....core.dump.filters import DumpRules
from ....core.errors import FasciculusError, SettingError
from ....core.formatting import format_count, format_size
from ....core.restore.actions import Action, Conflicts
from ....core.restore.plan_line import PlanLine, PlanSummary
from ....databases import ENGINES
from ....databases.base import (
    EXCHANGE_PREFIX,
    DatabaseAccess,
    DatabaseTable,
    Exchange,
    Exchanging,
)
from ....hosts.base import HostConnection, Problems
from ...database_access import database_access
from ...emitter import Emitter
from ..database_members import database_of, members_of
from ..losses import Losses
from ..plan import RestorePlan
from .relocating import report_rewritten

#: The file with the exchanges, and marks of finished steps; each exchange has a folder too.
_KEPT, _DONE, _UNDONE = "databases.json", "databases.done", "databases.undone"
_SECONDS = 20.0


class Exchanges:
    """The databases that are exchanged by one restore."""

    def __init__(
        self, order: HostOrder, host: HostConnection, spool: str, kept: Path, emitter: Emitter
    ) -> None:
        self._order, self._host, self._spool, self._emitter = order, host, spool, emitter
        self._kept = kept
        self.rows: list[Exchange] = []
        #: The bytes to load, by engine.
        self._bytes: Counter[str] = Counter()

    # Before ----------------------------------------------------------------------

    def plan(self, plan: RestorePlan, lines: BinaryIO) -> PlanSummary:
        """Write the lines of the tables, and return their sums."""
        summary = PlanSummary()
        assert plan.order.in_place is not None
        self._warn_of_others(plan)
        sizes = self._sizes(plan)
        for number, record in enumerate(plan.databases, 1):
            exchanging, access = self._reached(record.engine)
            name = plan.order.databases[record.name]
            present = exchanging.present(access, name)
            _check_free(plan.order.relocation, name, present is not None)
            prefix = _prefix(plan.order.in_place.side)
            exchange = Exchange(
                engine=record.engine,
                name=name,
                prefix=f"{prefix}_{number}",
                tables=list(plan.order.tables.get(record.name, ())),
                trusted=plan.with_special_modes,
                existed=present is not None,
                keep=plan.order.in_place.conflicts != Conflicts.REPLACE,
            )
            rules = plan.order.in_place.database_rules.of(record.name)
            for line in _lines(plan, record, exchange, rules, sizes[record.name], present or []):
                summary.add(line)
                lines.write(msgspec.json.encode(line) + b"\n")
                if line.action in (Action.CREATE, Action.REPLACE):
                    self._bytes[record.engine] += line.bytes
            self.rows.append(exchange)
        return summary

    def shortage(self) -> str:
        """Return a sentence if a server has no room for the tables next to those in use, as far as
        the host tells; otherwise an empty text.
        """
        for engine, needed in self._bytes.items():
            exchanging, access = self._reached(engine)
            folder = exchanging.data_folder(access)
            free = self._free_in(folder) if folder else None
            if free is not None and free < needed:
                return (
                    f"{folder} of the database server has {format_size(free)} free, and about "
                    f"{format_size(needed)} are to be loaded."
                )
        return ""

    def _free_in(self, folder: str) -> int | None:
        try:
            ran = self._host.run(f"df -B1 --output=avail {shlex.quote(folder)}", _SECONDS)
            return int(ran.output.split()[-1])
        except (FasciculusError, OSError, ValueError, IndexError):
            return None

    def _warn_of_others(self, plan: RestorePlan) -> None:
        """Warn of databases in the bundle that the account does not have."""
        order = plan.order
        if order.paths or (order.contents and Contents.DATABASES not in order.contents):
            return
        if order.in_place is None or not order.in_place.with_files or order.relocation is not None:
            return
        for record in plan.manifest.databases:
            if not record.origin and record.name not in order.databases:
                self._emitter.warn(
                    f"database {record.name} is not restored: {order.subject.name} has no database "
                    "of that name. Add it to the account, or load it under another name."
                )

    @staticmethod
    def _sizes(plan: RestorePlan) -> dict[str, list[DatabaseTable]]:
        """Return the tables of each database in the bundle, from one reading of the listing."""
        members: dict[str, list[tuple[str, int]]] = {r.name: [] for r in plan.databases}
        for entry in plan.entries(["databases"]) if plan.databases else ():
            record = database_of(entry, plan.databases)
            if record is not None:
                members[record.name].append((entry.text.rpartition("/")[2], entry.size))
        return {r.name: ENGINES.get(r.engine).tables(r, members[r.name]) for r in plan.databases}

    def rename_users(
        self, plan: RestorePlan, moves: Relocation, reader: BundleReader
    ) -> dict[str, str]:
        """Give the users of relocated databases their new names; return these by the old ones."""
        names: dict[str, str] = {}
        for record, exchange in zip(plan.databases, self.rows, strict=True):
            if not exchange.trusted or exchange.existed or exchange.tables:
                continue
            exchanging, access = self._reached(record.engine)
            members = members_of(record, plan.entries(["databases"]), reader)
            names |= exchanging.rename_users(access, exchange, record, members, moves.user)
        return names

    def stage(
        self,
        plan: RestorePlan,
        reader: BundleReader,
        losses: Losses,
        progress: Progress,
    ) -> int:
        """Load everything next to the databases in use; return the number of members."""
        count = 0
        if self.rows:
            self._kept.mkdir(parents=True, exist_ok=True, mode=0o700)
        for record, exchange in zip(plan.databases, self.rows, strict=True):
            progress.stage = "databases"
            exchanging, access = self._reached(record.engine)

            def refuse(why: str, name: str = record.name) -> None:
                losses.not_written(f"database {name}", why)

            own = self._folder(exchange)
            members = members_of(record, plan.entries(["databases"]), reader)
            for entry in exchanging.stage(access, exchange, record, members, refuse, own):
                count += 1
                progress.entries += 1
                progress.bytes += entry.size
                self._emitter.emit(progress)
            moves = plan.order.relocation
            if moves is not None and moves.texts:
                progress.stage = "rewriting"
                found = exchanging.rewrite(access, exchange, moves.texts, own)
                report_rewritten(found, self._emitter)
        if self.rows:
            (self._kept / _KEPT).write_bytes(msgspec.json.encode(self.rows))
        return count

    def _folder(self, exchange: Exchange) -> Path:
        return self._kept / f"database-{exchange.prefix.rpartition('_')[2]}"

    # Exchanging ------------------------------------------------------------------

    def load(self) -> None:
        """Read the exchanges that are kept, if there are any."""
        try:
            kept = (self._kept / _KEPT).read_bytes()
        except FileNotFoundError:
            return
        self.rows = msgspec.json.decode(kept, type=list[Exchange])

    def run(self) -> Problems:
        """Exchange all databases that are not exchanged yet; return what failed, and why."""
        return self._each(_DONE, lambda found: found.run)

    def undo(self) -> Problems:
        """Put back all databases; return what failed, and why."""
        return self._each(_UNDONE, lambda found: found.undo)

    def _each(self, mark: str, step: Callable[[Exchanging], Callable[..., None]]) -> Problems:
        problems: Problems = []
        if not self.rows or (self._kept / mark).exists():
            return problems
        for exchange in self.rows:
            said = f"database {exchange.name}"

            def refuse(why: str, said: str = said) -> None:
                problems.append((said, why))

            try:
                exchanging, access = self._reached(exchange.engine)
                step(exchanging)(access, exchange, refuse, self._folder(exchange))
            except FasciculusError as error:
                refuse(error.sentence())
        if not problems:
            (self._kept / mark).touch()
        return problems

    def changed(self) -> list[str]:
        """Return the tables that have changed since."""
        found = []
        for exchange in self.rows:
            exchanging, access = self._reached(exchange.engine)
            changed = exchanging.changed(access, exchange)
            found += [f"{exchange.name}.{table}" for table in changed]
        return found

    def drop(self) -> None:
        """Remove what was loaded or set aside."""
        for exchange in self.rows:
            exchanging, access = self._reached(exchange.engine)
            exchanging.drop(access, exchange.prefix)
        shutil.rmtree(self._kept, ignore_errors=True)

    def drop_unfinished(self, side: str) -> None:
        """Remove what was loaded for a side folder whose exchanges were not written down yet."""
        for engine in self._order.servers:
            exchanging = ENGINES.get(engine).exchanging
            if exchanging is not None:
                exchanging.drop_all(self._access(engine), f"{_prefix(side)}_")
        shutil.rmtree(self._kept, ignore_errors=True)

    def _reached(self, engine: str) -> tuple[Exchanging, DatabaseAccess]:
        exchanging = ENGINES.get(engine).exchanging
        if exchanging is None:
            raise SettingError(
                f"Databases of {ENGINES.get(engine).title} cannot be restored in place.",
                "Load them under another name (--database NAME=NEW_NAME).",
                field="databases",
            )
        return exchanging, self._access(engine)

    def _access(self, engine: str) -> DatabaseAccess:
        return database_access(engine, self._order, self._host, "", self._spool)


def _check_free(moves: Relocation | None, name: str, exists: bool) -> None:
    """Check that a database that exists may be exchanged: someone else's never is."""
    if moves is not None and exists and (moves.beside or name not in moves.own_databases):
        raise SettingError(
            f"There is a database “{name}” already, which the account does not have.",
            "Choose another name for it.",
            field="databases",
        )


def _prefix(side: str) -> str:
    plain = "".join(c if c.isascii() and c.isalnum() else "_" for c in side.lower())
    return f"{EXCHANGE_PREFIX}{plain.removeprefix('restore_')}"


def _lines(
    plan: RestorePlan,
    record: DatabaseRecord,
    exchange: Exchange,
    rules: DumpRules,
    bundled: list[DatabaseTable],
    present: list[DatabaseTable],
) -> Iterator[PlanLine]:
    """Yield what becomes of each table, and complete ``exchange`` with those that are extra."""
    there = {table.name: table for table in present}
    chosen = exchange.tables
    for table in bundled:
        if chosen and table.name not in chosen:
            continue
        name, now = f"{exchange.name}.{table.name}", there.get(table.name)
        if now is None:
            yield PlanLine(Action.CREATE, name, "table", table.bytes, 0, _counted(table, now))
        elif table.rows is None or exchange.keep:
            why = "the bundle has only its structure" if table.rows is None else "it exists"
            yield PlanLine(Action.KEEP, name, "table", table.bytes, now.bytes, why)
        else:
            why = _counted(table, now)
            yield PlanLine(Action.REPLACE, name, "table", table.bytes, now.bytes, why)
    assert plan.order.in_place is not None
    if chosen or not plan.order.in_place.remove_extra:
        return
    exchange.all_objects = not rules.tables
    known = {table.name for table in bundled}
    for now in present:
        if now.name not in known and rules.wants(now.name):
            exchange.extra.append(now.name)
            name = f"{exchange.name}.{now.name}"
            yield PlanLine(Action.REMOVE, name, "table", 0, now.bytes, "not in the bundle")


def _counted(table: DatabaseTable, now: DatabaseTable | None) -> str:
    there = "structure only"
    if table.rows is not None:
        there = f"{format_count(table.rows, 'row')} in the bundle"
    return f"{there}, {now.rows:,} now" if now is not None and now.rows is not None else there
