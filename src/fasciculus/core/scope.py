"""The accounts that a signed-in user may see and work on."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Scope:
    """Everything (``accounts`` is None), or the accounts of these names.

    An account's sites, bundles, tasks and restores are in the scope with it. Hosts, stores and jobs
    belong to all accounts; they are only in the scope of everything.
    """

    accounts: frozenset[str] | None = None

    @property
    def is_everything(self) -> bool:
        """Return whether nothing is hidden."""
        return self.accounts is None

    def has_account(self, name: str) -> bool:
        """Return whether an account is in the scope."""
        return self.accounts is None or name in self.accounts


#: What an administrator has, and what the service itself works with.
EVERYTHING = Scope()
