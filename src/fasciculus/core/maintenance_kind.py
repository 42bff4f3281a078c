"""Kinds of maintenance of a store."""

from __future__ import annotations

from enum import StrEnum


class MaintenanceKind(StrEnum):
    """A kind of work on the bundles of a store."""

    #: Read copies back.
    VERIFY = "verify"
    #: Put damaged copies right from another store.
    REPAIR = "repair"
    #: Rewrite the pieces that hold much unused data.
    REPACK = "repack"
    #: Copy or move bundles from another store.
    TRANSFER = "transfer"
    #: Add the bundles of a store to the records.
    IMPORT = "import"
    #: Remove the copies that no keep rule wants, with separate credentials.
    RETIRE = "retire"
    #: Seal the pieces to other keys.
    RESEAL = "reseal"
