"""The changes from each bundle of a subject to the next, stored next to the listings.

They make a search over hundreds of bundles read little. A bundle that retires takes those with it
that begin or end with it; what is missing is made again when it is wanted.
"""

from __future__ import annotations

import logging
import os
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

from ..config import Config
from ..core.bundle.versions import write_changes
from ..core.errors import FasciculusError
from ..models import Bundle

log = logging.getLogger(__name__)


def changes(
    config: Config, older: Bundle, newer: Bundle, listing_of: Callable[[Bundle], Path]
) -> Path:
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


def make_missing(config: Config, rows: list[Bundle], most: int) -> int:
    """Make missing changes between the bundles of one subject, oldest first, of which the listings
    are here; return how many were made.
    """

    def here(row: Bundle) -> Path:
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


def by_job(rows: list[Bundle]) -> list[list[Bundle]]:
    """Return bundles by their subject and job: what one job leaves out is not gone because another
    one includes it.
    """
    found: dict[tuple[str, str, str], list[Bundle]] = {}
    for row in rows:
        found.setdefault((row.subject_kind, row.subject, row.job), []).append(row)
    return list(found.values())


def forget(config: Config, kind: str, subject: str, bundle: str) -> None:
    """Remove the changes that begin or end with a bundle."""
    folder = config.changes(kind, subject, "x", "y").parent
    for pattern in (f"{bundle}..*", f"*..{bundle}.zst"):
        for path in folder.glob(pattern):
            path.unlink(missing_ok=True)
