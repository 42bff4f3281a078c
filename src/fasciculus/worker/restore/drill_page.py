"""A drill's copy next to the original: it is made, answers a request, and is removed again."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from functools import partial
from pathlib import Path

from msgspec.structs import replace

from ...contracts.events import Progress
from ...contracts.orders import (
    DrillPage,
    DropOrder,
    RecoverOrder,
    RestoreOrder,
    SideOrder,
    UndoOrder,
)
from ...core.errors import FasciculusError, MissingError, SettingError, UnreachableError
from ...core.restore.restore_kind import SetAside
from ...hosts.base import HostConnection
from ...stores.base import Store
from ..emitter import Emitter
from .in_place.side import SideTask
from .in_place.task import InPlaceRestore
from .losses import Losses
from .plan import plan_restore
from .site_page import page_status


class CopiedPage:
    """One copy of a site for a request. Without a copy nothing may answer at its address, so that
    an answer proves that the copy works.
    """

    def __init__(
        self,
        order: RestoreOrder,
        page: DrillPage,
        host: HostConnection,
        emitter: Emitter,
        losses: Losses,
        progress: Progress,
    ) -> None:
        self._order, self._page, self._host = order, page, host
        self._emitter, self._losses, self._progress = emitter, losses, progress

    def status(self, store: Store, spool: Path) -> int:
        """Return the HTTP status of the copy's page, 0 if it did not come back."""
        self._check_address()
        before = self._losses.count
        try:
            self._copy(store, spool)
            if self._losses.count > before:
                return 0
            return self._requested()
        finally:
            remove_copy(self._order, self._host, self._emitter)

    def _check_address(self) -> None:
        """Check that no other site answers at the address."""
        status = page_status(self._page.web_address, self._page.address)
        if status < 400:
            raise SettingError(
                f"{self._page.address} answers {status} at {self._page.web_address} though there "
                "is no copy yet.",
                "Have the web server serve only the copy's folder there, and 404 without it.",
                field="page",
            )

    def _copy(self, store: Store, spool: Path) -> None:
        order = replace(
            self._order,
            drill=None,
            contents=["files", "databases"],
            paths=self._page.paths,
            databases=self._page.databases,
        )
        assert order.in_place is not None
        plan = plan_restore(order, store, spool, self._emitter)
        InPlaceRestore(
            plan, order.in_place, self._host, self._emitter, self._losses, self._progress
        ).run(store, spool)

    def _requested(self) -> int:
        address = self._page.address
        try:
            status = page_status(self._page.web_address, address)
        except UnreachableError as error:
            self._losses.not_written(f"page of {address}", error.message)
            return 0
        if status >= 400:
            self._losses.not_written(f"page of {address}", f"it answers {status}")
        else:
            self._emitter.info(f"the copy answers {status} as {address}")
        return status


def remove_copy(order: RestoreOrder, host: HostConnection, emitter: Emitter) -> None:
    """Remove the copy of a drill, however far it came; what cannot be removed is a warning."""
    if order.in_place is None:
        return
    with suppress(OSError):
        Path(order.in_place.plan).unlink()
    try:
        for step in _steps(order):
            if SideTask(step, host, emitter).run().state == SetAside.GONE:
                return
    except MissingError:
        # There is none.
        return
    except (FasciculusError, OSError) as error:
        emitter.warn(f"the copy of the drill could not be removed: {error}")


def _steps(order: RestoreOrder) -> Iterator[SideOrder]:
    """Yield the orders that finish, take back and remove what a restore in place did."""
    assert order.in_place is not None
    for kind in (RecoverOrder, partial(UndoOrder, force=True), DropOrder):
        yield kind(
            host=order.host,
            subject=order.subject,
            side=order.in_place.side,
            kept=order.in_place.kept,
            spool=order.spool,
        )
