"""Hosts."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import Host, HostInput, HostProposal, Page, TryResult
from .....models.queries import SavedQuery, WordsQuery
from ....usecases.inventory import hosts
from ...operations import operation
from ...request import caller


@operation("GET", "/hosts", "Hosts", Permission.VIEW, response=Page[Host], query=WordsQuery)
def hosts_list(query: WordsQuery) -> Page[Host]:
    return hosts.hosts_list(caller(), query)


@operation(
    "POST", "/hosts", "Add a host", Permission.CONFIGURE, body=HostInput, response=Host, status=201
)
def hosts_add(body: HostInput) -> Host:
    return hosts.hosts_add(caller(), body)


@operation("GET", "/hosts/{name}", "One host", Permission.VIEW, response=Host)
def hosts_show(name: str) -> Host:
    return hosts.hosts_show(caller(), name)


@operation(
    "PUT", "/hosts/{name}", "Change a host", Permission.CONFIGURE, body=HostInput, response=Host
)
def hosts_change(name: str, body: HostInput) -> Host:
    return hosts.hosts_change(caller(), name, body)


@operation("DELETE", "/hosts/{name}", "Remove a host that has no accounts", Permission.CONFIGURE)
def hosts_remove(name: str) -> None:
    hosts.hosts_remove(caller(), name)


@operation(
    "POST",
    "/hosts/try",
    "Test a host before saving it",
    Permission.CONFIGURE,
    body=HostInput,
    response=TryResult,
    query=SavedQuery,
)
def hosts_try_draft(body: HostInput, query: SavedQuery) -> TryResult:
    return hosts.hosts_try_draft(caller(), body, query)


@operation(
    "POST",
    "/hosts/proposal",
    "Look at a host and propose the rules by which its accounts are found",
    Permission.CONFIGURE,
    body=HostInput,
    response=HostProposal,
    query=SavedQuery,
)
def hosts_propose(body: HostInput, query: SavedQuery) -> HostProposal:
    return hosts.hosts_propose(caller(), body, query)


@operation(
    "POST",
    "/hosts/{name}/try",
    "Prove each step of reaching a host, its databases and its files",
    Permission.OPERATE,
    response=TryResult,
)
def hosts_try(name: str) -> TryResult:
    return hosts.hosts_try(caller(), name)
