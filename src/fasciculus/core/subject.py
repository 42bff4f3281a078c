"""Subjects, and where their bundles are on a store (the bundle format, version 1)."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple


class SubjectKind(StrEnum):
    """A kind of subject, as records, orders and stores write it."""

    ACCOUNT = "account"
    SITE = "site"
    HOST = "host"
    #: A whole store, for work on all of it; there are no bundles of it.
    STORE = "store"

    @property
    def plural(self) -> str:
        """Return the word for several, which jobs and folders of stores use."""
        return f"{self.value}s"


#: The kinds that bundles are of.
BUNDLED = (SubjectKind.ACCOUNT, SubjectKind.SITE, SubjectKind.HOST)


class Subject(NamedTuple):
    """What a task backs up: an account, a site or a host, by its kind and name."""

    kind: SubjectKind
    name: str

    @classmethod
    def of(cls, kind: str, name: str) -> Subject:
        """Return the subject of a kind by its word. Raises ``ValueError`` for another word."""
        return cls(SubjectKind(kind), name)

    @property
    def folder(self) -> str:
        """Its folder below the store's root."""
        return f"{SubjectKind(self.kind).plural}/{self.name}"

    @property
    def bundles(self) -> str:
        """Return the folder of its bundles on a store."""
        return f"{self.folder}/bundles"

    @property
    def pieces(self) -> str:
        """Return the folder of its pieces on a store."""
        return f"{self.folder}/pieces"

    def bundle(self, name: str) -> str:
        """Return the folder of a bundle on a store."""
        return f"{self.bundles}/{name}"

    def piece(self, name: str) -> str:
        """Return the path of a piece on a store."""
        return f"{self.pieces}/{name}"
