"""Copies on a store of which the records know nothing, and what they need."""

import tempfile
from pathlib import Path

from fasciculus.bundles import retiring
from fasciculus.bundles.recorded_copies import RecordedCopies


def unrecorded(subject):
    """The copies of a subject, of which the records know none."""
    return RecordedCopies([], subject)


def pieces_needed(store, subject, names):
    """All pieces that these bundles name."""
    known = unrecorded(subject)
    return {piece.name for name in names for piece in known.manifest(store, name).pieces}


def sweep(store, subject, recorded=None):
    """A sweep by records that know nothing, if they are not given."""
    with tempfile.TemporaryDirectory() as spool:
        return retiring.sweep(store, subject, recorded or unrecorded(subject), Path(spool))
