"""Stores, and trying them."""

from __future__ import annotations

from ....core.permissions import Permission
from ....models import (
    AcceptedProposals,
    Page,
    ProposalChoice,
    Store,
    StoreAccess,
    StoreInput,
    StoreProposal,
    StoreUsage,
    TryResult,
)
from ....models.queries import SavedQuery, UntriedQuery, WordsQuery
from ...usecases.stores import stores
from ..operations import operation
from ..request import caller


@operation("GET", "/stores", "Stores", Permission.VIEW, query=WordsQuery, response=Page[Store])
def stores_list(query: WordsQuery) -> Page[Store]:
    return stores.stores_list(caller(), query)


@operation("GET", "/stores/{name}", "One store", Permission.VIEW, response=Store)
def stores_show(name: str) -> Store:
    return stores.stores_show(caller(), name)


@operation(
    "POST",
    "/stores",
    "Add a store; it is tried first",
    Permission.ADMINISTER,
    query=UntriedQuery,
    body=StoreInput,
    response=Store,
    status=201,
)
def stores_add(body: StoreInput, query: UntriedQuery) -> Store:
    return stores.stores_add(caller(), body, query)


@operation(
    "PUT",
    "/stores/{name}",
    "Change a store; it is tried first",
    Permission.ADMINISTER,
    query=UntriedQuery,
    body=StoreInput,
    response=Store,
)
def stores_change(name: str, body: StoreInput, query: UntriedQuery) -> Store:
    return stores.stores_change(caller(), name, body, query)


@operation(
    "DELETE",
    "/stores/{name}",
    "Remove a store from the records; what is on it is not touched",
    Permission.ADMINISTER,
)
def stores_remove(name: str) -> None:
    stores.stores_remove(caller(), name)


@operation(
    "POST",
    "/stores/try",
    "Test a store before saving it",
    Permission.ADMINISTER,
    query=SavedQuery,
    body=StoreInput,
    response=TryResult,
)
def stores_try_draft(body: StoreInput, query: SavedQuery) -> TryResult:
    return stores.stores_try_draft(caller(), body, query)


@operation(
    "POST", "/stores/{name}/try", "Try a saved store", Permission.OPERATE, response=TryResult
)
def stores_try(name: str) -> TryResult:
    return stores.stores_try(caller(), name)


@operation(
    "GET",
    "/stores/{name}/proposals",
    "Hosts, accounts and jobs proposed by a store, until they are accepted",
    Permission.VIEW,
    response=Page[StoreProposal],
)
def stores_proposals(name: str) -> Page[StoreProposal]:
    return stores.stores_proposals(caller(), name)


@operation(
    "POST",
    "/stores/{name}/proposals",
    "Accept proposals of a store: hosts without a connection, accounts, disabled jobs",
    Permission.ADMINISTER,
    body=ProposalChoice,
    response=AcceptedProposals,
)
def stores_accept(name: str, body: ProposalChoice) -> AcceptedProposals:
    return stores.stores_accept(caller(), name, body)


@operation(
    "POST",
    "/stores/{name}/proposals/dismiss",
    "Dismiss proposals of a store; its bundles stay in the records",
    Permission.ADMINISTER,
    body=ProposalChoice,
)
def stores_dismiss(name: str, body: ProposalChoice) -> None:
    stores.stores_dismiss(caller(), name, body)


@operation(
    "GET",
    "/stores/{name}/usage",
    "Usage, growth and cost of a store, and the day it will be full",
    Permission.VIEW,
    response=StoreUsage,
)
def stores_usage(name: str) -> StoreUsage:
    return stores.stores_usage(caller(), name)


@operation(
    "POST",
    "/stores/{name}/claim",
    "Claim a store that another installation wrote to",
    Permission.ADMINISTER,
    response=Store,
    former=("/stores/{name}/take-over",),
)
def stores_claim(name: str) -> Store:
    return stores.stores_claim(caller(), name)


@operation(
    "POST",
    "/stores/{name}/access",
    "Ask the owner of a drive for access",
    Permission.ADMINISTER,
    response=StoreAccess,
)
def stores_connect(name: str) -> StoreAccess:
    return stores.stores_connect(caller(), name)


@operation(
    "GET",
    "/stores/{name}/access",
    "State of the access to a drive",
    Permission.VIEW,
    response=StoreAccess,
)
def stores_access(name: str) -> StoreAccess:
    return stores.stores_access(caller(), name)


@operation("DELETE", "/stores/{name}/access", "Forget the access to a drive", Permission.ADMINISTER)
def stores_disconnect(name: str) -> None:
    stores.stores_disconnect(caller(), name)
