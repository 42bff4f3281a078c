"""Copies on a store of which the records know nothing, and what they need."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

from fasciculus.bundles import retiring
from fasciculus.bundles.recorded_copies import RecordedCopies
from fasciculus.core.subject import Subject
from fasciculus.stores.folder import FolderStore


def unrecorded(subject: Subject) -> RecordedCopies:
    """The copies of a subject, of which the records know none."""
    return RecordedCopies([], subject)


def pieces_needed(store: FolderStore, subject: Subject, names: list[str]) -> set[str]:
    """All pieces that these bundles name."""
    known = unrecorded(subject)
    return {piece.name for name in names for piece in known.manifest(store, name).pieces}


def sweep(
    store: FolderStore, subject: Subject, recorded: RecordedCopies | None = None
) -> list[Any]:
    """A sweep by records that know nothing, if they are not given."""
    with tempfile.TemporaryDirectory() as spool:
        return retiring.sweep(store, subject, recorded or unrecorded(subject), Path(spool))
