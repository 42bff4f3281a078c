"""Files of the service that a task elsewhere reads, and those that it leaves."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from ...config import Config
from ...contracts.artifacts import resolved
from ...contracts.fleet import MOST_DATA, ServiceFile
from ...contracts.order_files import OrderFile
from .lease import Lease

_MOST_FILES = 100_000


class LeaseFiles:
    """The files of a lease. No other path can be reached: each is one that the order names, or in a
    folder that it names, and never through a link.
    """

    def __init__(self, config: Config, lease: Lease) -> None:
        self._home, self._lease = config.home, lease
        self._partial = config.under_way / f"fleet-{lease.id}"
        #: Files that arrived, or arrive: their partial paths, by reference.
        self._arriving: dict[str, Path] = {}
        self._whole: set[str] = set()

    def existing(self) -> list[ServiceFile]:
        """Return the files that the order names and that exist."""
        return [
            ServiceFile(file.reference_of(path), path.stat().st_size)
            for file in self._lease.files
            for path in file.paths()
        ]

    def read(self, reference: str, offset: int) -> bytes:
        """Return some bytes of a file; none at its end. Raises ``ValueError`` or ``OSError``."""
        path, _ = self._found(reference)
        descriptor = os.open(path, os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC)
        with os.fdopen(descriptor, "rb") as file:
            file.seek(offset)
            return file.read(MOST_DATA)

    def write(self, reference: str, offset: int, data: bytes, is_last: bool) -> None:
        """Take some bytes of a file that the task leaves. Raises ``ValueError`` or ``OSError``."""
        _, file = self._found(reference)
        if not file.is_output or len(self._arriving) >= _MOST_FILES:
            raise ValueError(f"{reference} is not to be written")
        self._partial.mkdir(parents=True, exist_ok=True, mode=0o700)
        path = self._arriving.setdefault(reference, self._partial / str(len(self._arriving)))
        mode = "r+b" if path.exists() else "w+b"
        with path.open(mode) as sink:
            if sink.seek(0, os.SEEK_END) < offset:
                raise ValueError(f"bytes of {reference} are missing")
            sink.seek(offset)
            sink.write(data)
            sink.truncate()
        if is_last:
            self._whole.add(reference)

    def finish(self) -> None:
        """Put what the task left in its place."""
        for reference in sorted(self._whole):
            path, _ = self._found(reference)
            path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
            os.replace(self._arriving[reference], path)
        self.clear()

    def clear(self) -> None:
        """Remove what did not arrive whole."""
        shutil.rmtree(self._partial, ignore_errors=True)

    def _found(self, reference: str) -> tuple[Path, OrderFile]:
        path = Path(resolved(reference, {"home": str(self._home)}))
        for file in self._lease.files:
            if file.has(reference):
                _check_no_link(Path(file.artifact), path)
                return path, file
        raise ValueError(f"the order does not name {reference}")


def _check_no_link(above: Path, path: Path) -> None:
    """Raise ``ValueError`` if a link is on the way from one path to another."""
    while path != above:
        path = path.parent
        if path.is_symlink():
            raise ValueError(f"{path} is a link")
