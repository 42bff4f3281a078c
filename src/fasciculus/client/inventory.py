"""Hosts, accounts, discovery, previews, coverage, definitions."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from .. import models
from .transport import Transport


class InventoryCalls(Transport):
    """The client's methods about what exists on hosts, and what a job would take of it."""

    def hosts_list(self, **query: Any) -> models.Page[models.Host]:
        """Hosts.

        ``query`` may filter by ``q``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/hosts", models.Page[models.Host], **query)

    def hosts_show(self, name: str) -> models.Host:
        """Return one host.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("GET", f"/hosts/{quote(name)}", models.Host)

    def hosts_add(self, host: models.HostInput) -> models.Host:
        """Add a host.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("POST", "/hosts", models.Host, host)

    def hosts_change(self, name: str, host: models.HostInput) -> models.Host:
        """Change a host.

        Raises ``NotFoundError`` if the name is unknown, and ``RefusedError`` naming the
        field that cannot be used.
        """
        return self._call("PUT", f"/hosts/{quote(name)}", models.Host, host)

    def hosts_remove(self, name: str) -> None:
        """Remove a host that has no accounts.

        Raises ``NotFoundError`` if the name is unknown.
        """
        self._request("DELETE", f"/hosts/{quote(name)}")

    def hosts_try(self, name: str) -> models.TryResult:
        """Prove each step of reaching a host, its databases and its files.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("POST", f"/hosts/{quote(name)}/try", models.TryResult)

    def hosts_try_draft(self, host: models.HostInput, saved: str = "") -> models.TryResult:
        """Try a host that is not saved; ``saved`` lends the secrets of a saved one."""
        return self._call("POST", "/hosts/try", models.TryResult, host, saved=saved)

    def hosts_propose(self, host: models.HostInput, saved: str = "") -> models.HostProposal:
        """Look at a host and propose the rules by which its accounts are found."""
        return self._call("POST", "/hosts/proposal", models.HostProposal, host, saved=saved)

    def hosts_find(self, name: str) -> models.Page[models.Proposed]:
        """Return accounts on the host that are new, changed or deleted, by its rules."""
        return self._call("GET", f"/hosts/{quote(name)}/discovery", models.Page[models.Proposed])

    def hosts_unmatched(self, name: str) -> models.Unmatched:
        """Return what the last discovery on the host could give to no account."""
        return self._call("GET", f"/hosts/{quote(name)}/unmatched", models.Unmatched)

    def hosts_accept(self, name: str, accounts: list[str] | None = None) -> models.Accepted:
        """Take over what was found of some accounts, or all of it."""
        body = models.Acceptance(accounts=accounts or [], all=accounts is None)
        return self._call("POST", f"/hosts/{quote(name)}/discovery", models.Accepted, body)

    def coverage_list(self, **query: Any) -> models.Page[models.CoverageRow]:
        """Return how each site, database and mail domain is protected."""
        return self._call("GET", "/coverage", models.Page[models.CoverageRow], **query)

    def definitions_export(self) -> str:
        """Hosts, accounts, stores and jobs as one TOML text."""
        return self._request("GET", "/definitions").text

    def definitions_apply(
        self, text: str, secrets: dict[str, str] | None = None, dry_run: bool = False
    ) -> models.Applied:
        """Apply such a text; ``secrets`` by their place, as in ``stores.boathouse.password``."""
        return self._call(
            "POST",
            "/definitions",
            models.Applied,
            models.Definitions(text=text, secrets=secrets or {}, dry_run=dry_run),
        )

    def previews_start(self, job: models.JobInput, subject: str) -> models.Started:
        """Begin to measure what a job would take of a subject."""
        return self._call(
            "POST", "/previews", models.Started, models.PreviewStart(job=job, subject=subject)
        )

    def previews_show(self, preview_id: int) -> models.Preview:
        """Return one preview.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("GET", f"/previews/{preview_id}", models.Preview)

    def previews_cancel(self, preview_id: int) -> models.Preview:
        """Cancel a preview.

        Raises ``NotFoundError`` if the number is unknown.
        """
        return self._call("POST", f"/previews/{preview_id}/cancel", models.Preview)

    def accounts_list(self, **query: Any) -> models.Page[models.Account]:
        """Accounts.

        ``query`` may filter by ``q``, ``host``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/accounts", models.Page[models.Account], **query)

    def accounts_show(self, name: str) -> models.Account:
        """Return one account.

        Raises ``NotFoundError`` if the name is unknown.
        """
        return self._call("GET", f"/accounts/{quote(name)}", models.Account)

    def accounts_add(self, account: models.AccountInput) -> models.Account:
        """Add an account with its sites, databases and mail domains.

        Raises ``RefusedError`` naming the field that cannot be used.
        """
        return self._call("POST", "/accounts", models.Account, account)

    def accounts_change(self, name: str, account: models.AccountInput) -> models.Account:
        """Change an account and all that is in it.

        Raises ``NotFoundError`` if the name is unknown, and ``RefusedError`` naming the
        field that cannot be used.
        """
        return self._call("PUT", f"/accounts/{quote(name)}", models.Account, account)

    def accounts_remove(self, name: str, bundles: str = "") -> None:
        """Remove an account; with ``bundles="remove"`` its bundles are removed from all stores
        first.
        """
        self._request("DELETE", f"/accounts/{quote(name)}", bundles=bundles)

    def sites_list(self, **query: Any) -> models.Page[models.SiteRow]:
        """Sites.

        ``query`` may filter by ``q``.
        Returns one page (``limit``, ``cursor``, ``sort``); :meth:`every` asks for all.
        """
        return self._call("GET", "/sites", models.Page[models.SiteRow], **query)
