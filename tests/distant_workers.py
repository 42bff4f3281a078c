"""Workers with separate folders: only artifacts travel between them and the service."""

from __future__ import annotations

import io
import json
import re
import shutil
import threading
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

from fasciculus.contracts.artifacts import Artifact, resolved
from fasciculus.contracts.events import Event, from_line
from fasciculus.contracts.order_lines import from_line as order_of
from fasciculus.contracts.order_lines import to_line
from fasciculus.contracts.orders import Order
from fasciculus.contracts.results import AnyResult, Failure
from fasciculus.contracts.sealed_secrets import WorkerIdentity
from fasciculus.core.errors import FasciculusError
from fasciculus.worker.connections import Connections
from fasciculus.worker.dispatch import carry_out
from fasciculus.worker.emitter import Emitter


class DistantWorkers:
    """Carries out orders as a worker on another machine would, here in a thread.

    It gets an order as its line, fetches the artifacts that it names from ``home``, and keeps all
    else in ``folder``.
    """

    def __init__(self, home: Path, folder: Path) -> None:
        self.home, self.identity = home, WorkerIdentity()
        self.folders = {"home": str(folder / "home"), "spool": str(folder / "spool")}
        for place in self.folders.values():
            Path(place).mkdir(parents=True)
        self.lines: dict[str, bytes] = {}

    def warm_up(self) -> None:
        """Nothing is to be made ready."""

    def start(self, order: Order) -> DistantWorker:
        line = to_line(order, self.identity.recipient, is_beside=False)
        self.lines.setdefault(type(order).__name__, line)
        for reference in re.findall(r'"(home/listings/[^"]+)"', line.decode()):
            there, here = self.home / reference.partition("/")[2], resolved(reference, self.folders)
            if there.is_file() and not Path(here).exists():
                Path(here).parent.mkdir(parents=True, exist_ok=True)
                shutil.copy(there, here)
        # Where tasks leave something is there on every machine with workers.
        (Path(self.folders["home"]) / "listings/under-way").mkdir(parents=True, exist_ok=True)
        return DistantWorker(order_of(line, self.identity, self.folders))

    def collect(self, left: Artifact, place: Path) -> bool:
        """Fetch what a task left: it is not on the service's machine."""
        assert not Path(left).exists()
        here = Path(resolved(left.reference, self.folders))
        if not here.exists():
            return False
        place.parent.mkdir(parents=True, exist_ok=True)
        shutil.move(here, place)
        return True

    def close(self) -> None:
        """Nothing is open."""


class DistantWorker:
    """One order, executed when its events are requested."""

    def __init__(self, order: Order) -> None:
        self._order, self._stop = order, threading.Event()
        self.result: AnyResult | None = None
        self.ended = ""
        self.passes = False

    def events(self) -> Iterator[Event]:
        sink = io.BytesIO()
        with closing(Connections()) as connections:
            try:
                self.result = carry_out(self._order, Emitter(sink), self._stop, connections)
            except (FasciculusError, OSError) as error:
                self.result = Failure(outcome="failed", error=str(error))
        yield from map(from_line, sink.getvalue().splitlines())

    def cancel(self) -> None:
        self._stop.set()

    kill = cancel


def values_of(line: bytes) -> list[str]:
    """All texts in a line of JSON, its names too."""
    found: list[str] = []

    def look(value: object) -> None:
        if isinstance(value, str):
            found.append(value)
        elif isinstance(value, dict):
            for name, inner in value.items():
                look(name)
                look(inner)
        elif isinstance(value, list):
            for inner in value:
                look(inner)

    look(json.loads(line))
    return found
