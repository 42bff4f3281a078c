"""Recovering, undoing and dropping: orders for the side folder of a restore in place."""

from __future__ import annotations

from contextlib import closing
from pathlib import Path

from ....contracts.orders import DropOrder, RecoverOrder, SideOrder, UndoOrder
from ....contracts.results import Outcome, SideResult
from ....core.errors import MissingError, SettingError
from ....core.formatting import format_count, format_list
from ....core.restore.restore_kind import SetAside
from ....hosts.base import HostConnection, Problems, SideFolder
from ....hosts.switch import STAGING, SWITCHED, SWITCHING, UNDOING, UNDONE
from ...emitter import Emitter
from ...task_hooks import TaskHooks
from ..mail_lines import KeptMail
from .databases import Exchanges

_NAMED = 5


class SideTask:
    """Carries out one :class:`SideOrder`."""

    def __init__(self, order: SideOrder, host: HostConnection, emitter: Emitter) -> None:
        self._order, self._host, self._emitter = order, host, emitter
        self._exchanges = Exchanges(order.host, host, order.spool, Path(order.kept), emitter)
        self._mail = KeptMail(Path(order.kept))
        self._hooks = TaskHooks(order.commands, order.hold_flags, host, emitter)

    def run(self) -> SideResult:
        """Carry the order out, and return what became of the side folder."""
        self._host.connect()
        result = self._carried_out()
        if isinstance(self._order, RecoverOrder):
            # The interrupted task did not reach this step.
            self._hooks.finish(result.state != SetAside.GONE)
        return result

    def _carried_out(self) -> SideResult:
        subject = self._order.subject
        side = self._host.side_folder(subject.root, subject.home, self._order.side)
        with closing(side):
            try:
                state = side.state()
            except OSError as error:
                raise SettingError(
                    f"The folder {subject.root} cannot be used: {error.strerror}.",
                    "Correct the account's home, and try again.",
                ) from error
            self._mail.load()
            if state is None:
                return self._without()
            self._exchanges.load()
            return self._with(side, state)

    def _without(self) -> SideResult:
        """Carry the order out where only lines of mail files are kept."""
        if isinstance(self._order, UndoOrder) and self._mail:
            return self._refused(self._mail.changed(self._host)) or self._lines_undone()
        if isinstance(self._order, DropOrder):
            self._exchanges.drop()
        if isinstance(self._order, UndoOrder):
            raise MissingError(
                "Nothing of that restore is set aside any more.", "Restore an earlier bundle."
            )
        return SideResult(outcome="done", state=SetAside.GONE)

    def _with(self, side: SideFolder, state: str) -> SideResult:
        match self._order:
            case RecoverOrder():
                return self._recovered(side)
            case UndoOrder():
                return self._undone(side, state)
            case DropOrder():
                self._exchanges.drop()
                side.drop()
                self._emitter.info("what was set aside is removed")
        return SideResult(outcome="done", state=SetAside.GONE)

    def _recovered(self, side: SideFolder) -> SideResult:
        state, problems = side.recover()
        if state == STAGING:
            self._exchanges.drop_unfinished(self._order.side)
            side.drop()
            self._emitter.info("rolled back: nothing had been changed")
            return SideResult(outcome="done", state=SetAside.GONE)
        if state == UNDONE:
            outcome = self._outcome(problems + self._exchanges.undo())
            self._emitter.info("the undo was finished")
            return SideResult(outcome=outcome, state=SetAside.UNDONE)
        outcome = self._outcome(problems + self._exchanges.run())
        self._emitter.info("the restore was finished; what was replaced is set aside")
        return SideResult(outcome=outcome, state=SetAside.KEPT)

    def _undone(self, side: SideFolder, state: str) -> SideResult:
        if state in (STAGING, UNDOING):
            # The host was out of reach before anything was exchanged, or during an undo.
            return self._recovered(side)
        if state not in (SWITCHING, SWITCHED):
            raise SettingError("That restore was undone already.", "Look at its log.")
        changed = side.changed() + self._exchanges.changed() + self._mail.changed(self._host)
        if refused := self._refused(changed):
            return refused
        with self._hooks.task():
            problems = side.undo() + self._exchanges.undo()
            problems += self._mail.undo(self._host, self._emitter)
        outcome = self._outcome(problems)
        self._emitter.info("the state before the restore is back")
        return SideResult(outcome=outcome, state=SetAside.UNDONE, changed=changed)

    def _lines_undone(self) -> SideResult:
        outcome = self._outcome(self._mail.undo(self._host, self._emitter))
        return SideResult(outcome=outcome, state=SetAside.UNDONE)

    def _refused(self, changed: list[str]) -> SideResult | None:
        """Return the result of an undo that would lose changes, None if it may be done."""
        if not changed or not isinstance(self._order, UndoOrder) or self._order.force:
            return None
        named = format_list(changed[:_NAMED]) + (" …" if len(changed) > _NAMED else "")
        return SideResult(
            outcome="failed",
            error=f"{format_count(len(changed), 'path has', 'paths have')} changed since: "
            f"{named}. Undo it all the same (--force); what changed is then set aside.",
            state=SetAside.KEPT,
            changed=changed,
        )

    def _outcome(self, problems: Problems) -> Outcome:
        """Log what could not be done, and return the outcome."""
        for path, why in problems:
            self._emitter.warn(f"{path}: {why}")
        return "warned" if problems else "done"
