"""Recovering, undoing and dropping: orders for the side folder of a restore in place."""

from __future__ import annotations

import os
from pathlib import Path

from ....contracts.orders import DropOrder, RecoverOrder, SideOrder, UndoOrder
from ....contracts.results import Outcome, SideResult
from ....core.errors import MissingError, SettingError
from ....core.formatting import format_count, format_list
from ....core.restore.restore_kind import SetAside
from ....hosts.base import HostConnection
from ....hosts.side_folder import side_folder
from ....hosts.switch import STAGING, SWITCHED, SWITCHING, UNDONE, Switch
from ...emitter import Emitter
from .databases import Exchanges

_NAMED = 5


class SideTask:
    """Carries out one :class:`SideOrder`."""

    def __init__(self, order: SideOrder, host: HostConnection, emitter: Emitter) -> None:
        self._order, self._emitter = order, emitter
        self._exchanges = Exchanges(order.host, host, order.spool, emitter)

    def run(self) -> SideResult:
        """Carry the order out, and return what became of the side folder."""
        switch = self._opened()
        if switch is None:
            return self._without()
        try:
            self._exchanges.load(self._folder(switch))
            return self._with(switch)
        finally:
            switch.close()

    def _opened(self) -> Switch | None:
        subject = self._order.subject
        root, home = os.fsencode(subject.root), os.fsencode(subject.home)
        try:
            return Switch(root, home, side_folder(root, home, self._order.side.encode()))
        except FileNotFoundError:
            return None
        except OSError as error:
            raise SettingError(
                f"The folder {subject.root} cannot be used: {error.strerror}.",
                "Correct the account's home, and try again.",
            ) from error

    @staticmethod
    def _folder(switch: Switch) -> Path:
        return Path(os.fsdecode(switch.side))

    def _without(self) -> SideResult:
        if isinstance(self._order, UndoOrder):
            raise MissingError(
                "Nothing of that restore is set aside any more.", "Restore an earlier bundle."
            )
        return SideResult(outcome="done", state=SetAside.GONE)

    def _with(self, switch: Switch) -> SideResult:
        match self._order:
            case RecoverOrder():
                return self._recovered(switch)
            case UndoOrder(force=force):
                return self._undone(switch, force)
            case DropOrder():
                self._exchanges.drop()
                switch.drop()
                self._emitter.info("what was set aside is removed")
        return SideResult(outcome="done", state=SetAside.GONE)

    def _recovered(self, switch: Switch) -> SideResult:
        state = switch.recover()
        more: list[tuple[str, str]] = []
        if state == STAGING:
            self._exchanges.drop_unfinished(self._order.side)
            switch.drop()
        elif state == UNDONE:
            more = self._exchanges.undo(self._folder(switch))
        else:
            more = self._exchanges.run(self._folder(switch))
        outcome = self._problems(switch, more)
        if state == STAGING:
            self._emitter.info("rolled back: nothing had been changed")
            return SideResult(outcome="done", state=SetAside.GONE)
        if state == UNDONE:
            self._emitter.info("the undo was finished")
            return SideResult(outcome=outcome, state=SetAside.UNDONE)
        self._emitter.info("the restore was finished; what was replaced is set aside")
        return SideResult(outcome=outcome, state=SetAside.KEPT)

    def _undone(self, switch: Switch, force: bool) -> SideResult:
        if switch.state not in (SWITCHING, SWITCHED):
            raise SettingError("That restore was undone already.", "Look at its log.")
        changed = switch.changed() + self._exchanges.changed()
        if changed and not force:
            named = format_list(changed[:_NAMED]) + (" …" if len(changed) > _NAMED else "")
            return SideResult(
                outcome="failed",
                error=f"{format_count(len(changed), 'path has', 'paths have')} changed since: "
                f"{named}. Undo it all the same (--force); what changed is then set aside.",
                state=SetAside.KEPT,
                changed=changed,
            )
        switch.undo()
        outcome = self._problems(switch, self._exchanges.undo(self._folder(switch)))
        self._emitter.info("the state before the restore is back")
        return SideResult(outcome=outcome, state=SetAside.UNDONE, changed=changed)

    def _problems(self, switch: Switch, more: list[tuple[str, str]]) -> Outcome:
        """Log what could not be done, and return the outcome."""
        problems = switch.problems + more
        for path, why in problems:
            self._emitter.warn(f"{path}: {why}")
        return "warned" if problems else "done"
