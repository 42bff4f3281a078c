"""Hosts, accounts, finding them, previews, coverage, definitions."""

from __future__ import annotations

from typing import Any
from urllib.parse import quote

from ..models import (
    Account,
    Applied,
    CoverageRow,
    Definitions,
    Host,
    Job,
    Page,
    Preview,
    PreviewStart,
    Proposed,
    SiteRow,
    Started,
    TakenOver,
    TakeOver,
    Tried,
)
from .transport import Transport


class InventoryCalls(Transport):
    """The client's methods about what exists on hosts, and what a job would take of it."""

    def hosts_list(self, **query: Any) -> Page[Host]:
        return self._call("GET", "/hosts", Page[Host], **query)

    def hosts_show(self, name: str) -> Host:
        return self._call("GET", f"/hosts/{quote(name)}", Host)

    def hosts_add(self, host: Host) -> Host:
        return self._call("POST", "/hosts", Host, host)

    def hosts_change(self, name: str, host: Host) -> Host:
        return self._call("PUT", f"/hosts/{quote(name)}", Host, host)

    def hosts_remove(self, name: str) -> None:
        self._request("DELETE", f"/hosts/{quote(name)}")

    def hosts_try(self, name: str) -> Tried:
        return self._call("POST", f"/hosts/{quote(name)}/try", Tried)

    def hosts_try_draft(self, host: Host, saved: str = "") -> Tried:
        """Try a host that is not saved; ``saved`` lends the secrets of a saved one."""
        return self._call("POST", "/hosts/try", Tried, host, saved=saved)

    def hosts_find(self, name: str) -> Page[Proposed]:
        """Accounts on the host that are new, changed or gone, by its rules."""
        return self._call("GET", f"/hosts/{quote(name)}/finding", Page[Proposed])

    def hosts_take_over(self, name: str, accounts: list[str] | None = None) -> TakenOver:
        """Take over what was found of some accounts, or all of it."""
        body = TakeOver(accounts=accounts or [], all=accounts is None)
        return self._call("POST", f"/hosts/{quote(name)}/finding", TakenOver, body)

    def coverage_list(self, **query: Any) -> Page[CoverageRow]:
        """How each site, database and mail domain is protected."""
        return self._call("GET", "/coverage", Page[CoverageRow], **query)

    def definitions_export(self) -> str:
        """Hosts, accounts, stores and jobs as one TOML text."""
        return self._request("GET", "/definitions").text

    def definitions_apply(
        self, text: str, secrets: dict[str, str] | None = None, dry_run: bool = False
    ) -> Applied:
        """Apply such a text; ``secrets`` by their place, as in ``stores.boathouse.password``."""
        return self._call(
            "POST",
            "/definitions",
            Applied,
            Definitions(text=text, secrets=secrets or {}, dry_run=dry_run),
        )

    def previews_start(self, job: Job, subject: str) -> Started:
        """Begin to measure what a job would take of a subject."""
        return self._call("POST", "/previews", Started, PreviewStart(job=job, subject=subject))

    def previews_show(self, preview_id: int) -> Preview:
        return self._call("GET", f"/previews/{preview_id}", Preview)

    def previews_cancel(self, preview_id: int) -> Preview:
        return self._call("POST", f"/previews/{preview_id}/cancel", Preview)

    def accounts_list(self, **query: Any) -> Page[Account]:
        return self._call("GET", "/accounts", Page[Account], **query)

    def accounts_show(self, name: str) -> Account:
        return self._call("GET", f"/accounts/{quote(name)}", Account)

    def accounts_add(self, account: Account) -> Account:
        return self._call("POST", "/accounts", Account, account)

    def accounts_change(self, name: str, account: Account) -> Account:
        return self._call("PUT", f"/accounts/{quote(name)}", Account, account)

    def accounts_remove(self, name: str, bundles: str = "") -> None:
        """Forget an account; with ``bundles="remove"`` its bundles are removed from all stores
        first.
        """
        self._request("DELETE", f"/accounts/{quote(name)}", bundles=bundles)

    def sites_list(self, **query: Any) -> Page[SiteRow]:
        return self._call("GET", "/sites", Page[SiteRow], **query)
