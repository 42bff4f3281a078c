"""The changes from each bundle of a subject to the next, stored next to the listings.

They make a search over hundreds of bundles read little. A bundle that retires takes those with it
that begin or end with it; what is missing is made again when it is wanted.
"""

from __future__ import annotations

import logging
import os
from collections.abc import Callable, Sequence
from itertools import pairwise
from pathlib import Path
from typing import Protocol, TypeVar

from ..config import Config
from ..core.bundle.versions import write_changes
from ..core.errors import FasciculusError

log = logging.getLogger(__name__)


class NamedBundle(Protocol):
    """A bundle, as far as its files are concerned."""

    @property
    def subject_kind(self) -> str:
        """Return the kind of its subject."""

    @property
    def subject(self) -> str:
        """Return the name of its subject."""

    @property
    def name(self) -> str:
        """Return its name."""


B = TypeVar("B", bound=NamedBundle)


def changes(config: Config, older: B, newer: B, listing_of: Callable[[B], Path]) -> Path:
    """Return the file of the changes from one bundle to the next; it is created if missing.

    Raises ``DamagedError`` or ``OSError`` if a listing cannot be read.
    """
    path = config.changes(older.subject_kind, older.subject, older.name, newer.name)
    if path.exists():
        return path
    partial = path.with_suffix(f".{os.getpid()}-{os.urandom(4).hex()}")
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        with (
            listing_of(older).open("rb") as before,
            listing_of(newer).open("rb") as after,
            partial.open("wb") as sink,
        ):
            write_changes(before, after, sink)
        partial.replace(path)
    finally:
        partial.unlink(missing_ok=True)
    return path


def make_missing(config: Config, rows: Sequence[NamedBundle], most: int) -> int:
    """Make missing changes between the bundles of one subject, oldest first, of which the listings
    are here; return how many were made.
    """

    def here(row: NamedBundle) -> Path:
        return config.listing(row.subject_kind, row.subject, row.name)

    made = 0
    for older, newer in pairwise(rows):
        path = config.changes(older.subject_kind, older.subject, older.name, newer.name)
        if path.exists() or not (here(older).exists() and here(newer).exists()):
            continue
        if made >= most:
            break
        try:
            changes(config, older, newer, here)
        except (FasciculusError, OSError) as error:
            log.warning("the changes of %s cannot be kept: %s", newer.name, error)
        made += 1
    return made


def forget(config: Config, kind: str, subject: str, bundle: str) -> None:
    """Remove the changes that begin or end with a bundle."""
    folder = config.changes(kind, subject, "x", "y").parent
    for pattern in (f"{bundle}..*", f"*..{bundle}.zst"):
        for path in folder.glob(pattern):
            path.unlink(missing_ok=True)
