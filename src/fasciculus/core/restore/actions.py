"""The actions of a restore in place, and the treatment of conflicts."""

from __future__ import annotations

from enum import StrEnum


class Action(StrEnum):
    """An action of a restore in place on one path."""

    #: It does not exist, and comes from the bundle.
    CREATE = "create"
    #: What is there is set aside, and the bundle's takes its place.
    REPLACE = "replace"
    #: It is not in the bundle, and is set aside.
    REMOVE = "remove"
    #: Only owner, mode, time or attributes change.
    ATTRIBUTES = "attributes"
    #: It differs, and stays unchanged.
    KEEP = "keep"


class Conflicts(StrEnum):
    """The treatment of a path that differs from the bundle's."""

    #: It is set aside, and the bundle's takes its place.
    REPLACE = "replace"
    #: It stays if it is newer than the bundle's.
    NEWER = "newer"
    #: Both stay: the bundle's gets another name.
    BOTH = "both"
    #: It stays.
    SKIP = "skip"
