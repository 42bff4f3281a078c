"""Subjects, and where their bundles are on a store (the bundle format, version 1)."""

from __future__ import annotations

from typing import NamedTuple

SUBJECT_FOLDERS = {"account": "accounts", "site": "sites", "host": "hosts"}


class Subject(NamedTuple):
    """What a task backs up: an account, a site or a host, by its kind and name."""

    kind: str
    name: str

    @property
    def folder(self) -> str:
        """Its folder below the store's root."""
        return f"{SUBJECT_FOLDERS[self.kind]}/{self.name}"

    @property
    def bundles(self) -> str:
        return f"{self.folder}/bundles"

    @property
    def pieces(self) -> str:
        return f"{self.folder}/pieces"

    def bundle(self, name: str) -> str:
        return f"{self.bundles}/{name}"

    def piece(self, name: str) -> str:
        return f"{self.pieces}/{name}"
