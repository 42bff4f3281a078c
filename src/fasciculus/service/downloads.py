"""What downloads lacked, for who asks once they are at their end."""

from __future__ import annotations

import secrets
import threading
from collections import OrderedDict

from ..bundles.left_out import LeftOut
from ..core.errors import MissingError
from ..models import DownloadReport

HEADER = "X-Download"
_KEPT = 500
_NAMED = 100


class Downloads:
    """The last downloads by number, each with what it left out."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._known: OrderedDict[str, LeftOut] = OrderedDict()

    def add(self, left_out: LeftOut) -> str:
        """The number of a download that begins."""
        number = secrets.token_hex(8)
        with self._lock:
            self._known[number] = left_out
            while len(self._known) > _KEPT:
                self._known.popitem(last=False)
        return number

    def report(self, number: str) -> DownloadReport:
        """What a download lacks so far."""
        with self._lock:
            found = self._known.get(number)
        if found is None:
            raise MissingError(
                f"There is no download {number}.",
                "LEFT-OUT.txt in the archive says what.",
            )
        return DownloadReport(left_out=found.count, named=found.lines[:_NAMED])
