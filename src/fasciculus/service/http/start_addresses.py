"""The secret addresses that start jobs from outside."""

from __future__ import annotations

from ...core.permissions import Permission
from ...models import StartAddress, StartAddressInput, StartAddressMade
from ...records import start_addresses
from ..context import base_url, context
from ..operations import operation
from ..start_endpoint import PATH
from .auth import note


@operation(
    "GET",
    "/jobs/{name}/address",
    "The address that starts a job from outside, without its secret",
    Permission.ADMINISTER,
    response=StartAddress,
)
def jobs_address(name: str) -> StartAddress:
    return start_addresses.address(context().records.reader, name)


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
    with context().records.write() as db:
        secret = start_addresses.make(db, name, body)
        made = start_addresses.address(db, name)
    note("made an address for job", name)
    url = f"{base_url()}{PATH}{secret}"
    curl = f"curl --fail --silent --show-error --request POST '{url}?wait=300'"
    return StartAddressMade(
        **made.model_dump(),
        url=url,
        curl=curl,
        # Cron mails whatever a command prints: nothing when all is well.
        crontab=f"15 2 * * * {curl} --output /dev/null",
    )


@operation(
    "PUT",
    "/jobs/{name}/address",
    "Change who may use the address of a job",
    Permission.ADMINISTER,
    body=StartAddressInput,
    response=StartAddress,
)
def jobs_address_change(name: str, body: StartAddressInput) -> StartAddress:
    with context().records.write() as db:
        start_addresses.change(db, name, body)
    note("changed the address of job", name)
    return jobs_address(name)


@operation("DELETE", "/jobs/{name}/address", "Remove the address of a job", Permission.ADMINISTER)
def jobs_address_remove(name: str) -> None:
    with context().records.write() as db:
        start_addresses.remove(db, name)
    note("removed the address of job", name)
