"""Counts of the entries in which a bundle differs from the previous one."""

from __future__ import annotations

from ..model import Model


class Changes(Model):
    """Entries that are new, changed and gone since the previous bundle, and by how many bytes the
    subject grew."""

    new: int = 0
    changed: int = 0
    gone: int = 0
    grew: int = 0
