"""A host that the records know only from a store: nobody has said yet how it is reached."""

from __future__ import annotations

from pathlib import Path
from typing import Literal, NoReturn

from ..core.errors import UnreachableError
from ..kinds import Secrets, Settings
from .base import HostKind, HostSpec


class UnconnectedSettings(Settings):
    """A host of another installation, known by its name."""

    kind: Literal["unconnected"] = "unconnected"

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        return "not connected yet"


def _open(spec: HostSpec, spool: Path) -> NoReturn:
    raise UnreachableError(
        f"Host “{spec.name}” is not connected yet: it is known only from a store.",
        f"Say how it is reached: fasciculus hosts change {spec.name} --address ADDRESS --user USER "
        f"(over SSH), or --kind local if it is this machine.",
    )


KIND = HostKind("unconnected", "Not connected yet", UnconnectedSettings, Secrets, _open)
