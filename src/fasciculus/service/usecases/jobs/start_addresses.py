"""The secret addresses that start jobs from outside."""

from __future__ import annotations

from ....models import StartAddress, StartAddressInput, StartAddressMade
from ....records.jobs import start_addresses
from ..caller import Caller

#: Where the service answers start addresses.
PATH = "/start/"


def jobs_address(caller: Caller, name: str) -> StartAddress:
    """Return the address that starts a job from outside, without its secret."""
    return start_addresses.address(caller.reader, name)


def jobs_address_make(caller: Caller, name: str, body: StartAddressInput) -> StartAddressMade:
    """Make a secret address that starts a job, in place of the one that it had."""
    with caller.write() as db:
        secret = start_addresses.make(db, name, body)
        made = start_addresses.address(db, name)
    caller.note("made an address for job", name)
    url = f"{caller.service.base_url}{PATH}{secret}"
    curl = f"curl --fail --silent --show-error --request POST '{url}?wait=300'"
    return StartAddressMade(
        **made.model_dump(),
        url=url,
        curl=curl,
        # Cron mails whatever a command prints: nothing when all is well.
        crontab=f"15 2 * * * {curl} --output /dev/null",
    )


def jobs_address_change(caller: Caller, name: str, body: StartAddressInput) -> StartAddress:
    """Change who may use the address of a job."""
    with caller.write() as db:
        start_addresses.change(db, name, body)
    caller.note("changed the address of job", name)
    return jobs_address(caller, name)


def jobs_address_remove(caller: Caller, name: str) -> None:
    """Remove the address of a job."""
    with caller.write() as db:
        start_addresses.remove(db, name)
    caller.note("removed the address of job", name)
