"""The secret addresses that start jobs from outside."""

from __future__ import annotations

from .....core.permissions import Permission
from .....models import StartAddress, StartAddressInput, StartAddressMade
from ....usecases.jobs import start_addresses
from ...operations import operation
from ...request import caller


@operation(
    "GET",
    "/jobs/{name}/address",
    "The address that starts a job from outside, without its secret",
    Permission.ADMINISTER,
    response=StartAddress,
)
def jobs_address(name: str) -> StartAddress:
    return start_addresses.jobs_address(caller(), name)


@operation(
    "POST",
    "/jobs/{name}/address",
    "Make a secret address that starts a job, in place of the one that it had",
    Permission.ADMINISTER,
    body=StartAddressInput,
    response=StartAddressMade,
    status=201,
)
def jobs_address_make(name: str, body: StartAddressInput) -> StartAddressMade:
    return start_addresses.jobs_address_make(caller(), name, body)


@operation(
    "PUT",
    "/jobs/{name}/address",
    "Change who may use the address of a job",
    Permission.ADMINISTER,
    body=StartAddressInput,
    response=StartAddress,
)
def jobs_address_change(name: str, body: StartAddressInput) -> StartAddress:
    return start_addresses.jobs_address_change(caller(), name, body)


@operation("DELETE", "/jobs/{name}/address", "Remove the address of a job", Permission.ADMINISTER)
def jobs_address_remove(name: str) -> None:
    start_addresses.jobs_address_remove(caller(), name)
