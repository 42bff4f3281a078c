"""Finding accounts, previews of what goes in, and coverage."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ..jobs.jobs import JobInput
from ..model import Model
from .inventory import AccountInput


class Proposed(Model):
    """An account that a host's rules find ``new``, ``changed`` or ``gone``; ``changes`` says
    what.
    """

    kind: Literal["new", "changed", "gone"]
    account: AccountInput
    changes: list[str]


class Unmatched(Model):
    """Findings of the last discovery that no rule assigns to an account: databases, and server
    names without a domain, with their document roots.
    """

    databases: list[str] = []
    names: list[str] = []


class Acceptance(Model):
    """The proposals to accept: accounts by name, or all of them."""

    accounts: list[str] = []
    all: bool = False


class Accepted(Model):
    """The number of accepted proposals."""

    count: int


class CoverageRow(Model):
    """A site, database or mail domain. ``state`` is protected, late (its newest copy is older than
    its jobs require), never (a job has it, but no copy yet) or bare (no job has it)."""

    kind: Literal["account", "site", "database", "mail domain"]
    name: str
    account: str
    host: str
    state: Literal["protected", "late", "never", "bare"]
    jobs: list[str]
    newest: str | None


class PreviewStart(Model):
    """The job to preview, and one of its subjects."""

    job: JobInput
    subject: str


class SizeCount(Model):
    """A number of entries and their size in bytes."""

    entries: int
    bytes: int


class ExcludedSize(SizeCount):
    """The effect of an exclude rule."""

    rule: str


class Folder(SizeCount):
    """A folder with all below it."""

    path: str


class Preview(Model):
    """The expected contents. ``packed`` is an estimate; ``new`` is since the last bundle."""

    id: int
    state: Literal["running", "ended"]
    outcome: str | None = None
    error: str = ""
    entries: int = 0
    bytes: int = 0
    packed: int = 0
    new: SizeCount | None = None
    saved: list[ExcludedSize] = []
    folders: list[Folder] = []
    warnings: list[str] = []
    seconds: float = 0.0


class Definitions(Model):
    """All that a person sets, as one TOML text: channels, settings of mail and watch, templates,
    hosts, accounts, stores and jobs. ``secrets`` has those that the text
    names by reference, by their place, as in ``stores.boathouse.password``."""

    text: str
    secrets: dict[str, str] = Field(default={}, repr=False)
    dry_run: bool = False


class Change(Model):
    """A change that applying made or would make: ``added``, ``changed`` with its fields, or
    ``kept`` though the text does not mention it.
    """

    action: Literal["added", "changed", "kept"]
    kind: str
    name: str
    fields: list[str] = []


class Applied(Model):
    """The changes that applying made or would make; ``lacking`` lists the secrets that it needs."""

    changes: list[Change]
    same: int
    lacking: list[str] = []
