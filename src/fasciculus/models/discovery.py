"""Finding accounts, previews of what goes in, and coverage."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from .inventory import AccountInput
from .jobs import JobInput
from .model import Model


class Proposed(Model):
    """An account that a host's rules find ``new``, ``changed`` or ``gone``; ``changes`` says
    what.
    """

    kind: Literal["new", "changed", "gone"]
    account: AccountInput
    changes: list[str]


class Unmatched(Model):
    """What the last discovery saw on a host and no rule gives to an account: databases of its
    servers, and server names that say no domain, each with its document root."""

    databases: list[str] = []
    names: list[str] = []


class Acceptance(Model):
    """Which of the proposals to take over: accounts by name, or all of them."""

    accounts: list[str] = []
    all: bool = False


class Accepted(Model):
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
    """Of which job, as it is described, and of which of its subjects."""

    job: JobInput
    subject: str


class SizeCount(Model):
    entries: int
    bytes: int


class ExcludedSize(SizeCount):
    """What a rule leaves out."""

    rule: str


class Folder(SizeCount):
    """A folder with all below it."""

    path: str


class Preview(Model):
    """What would go in. ``packed`` is an estimate; ``new`` is since the last bundle, where there is
    one.
    """

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
    """What applying did, or would do: ``added``, ``changed`` with its fields, or ``kept`` though
    the text does not have it."""

    action: Literal["added", "changed", "kept"]
    kind: str
    name: str
    fields: list[str] = []


class Applied(Model):
    """What applying did, or would do; ``lacking`` are the places of secrets that it needs."""

    changes: list[Change]
    same: int
    lacking: list[str] = []
