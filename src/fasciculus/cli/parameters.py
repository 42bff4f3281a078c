"""Arguments and options that many commands share, each written once; names complete."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from . import output
from .kept_token import use_kept_token

_MOST = 200


def _use_json(value: bool) -> bool:
    output.speak_json(value)
    return value


def names(listing: str, most: int = _MOST, timeout: float = 60.0) -> list[str] | None:
    """Return the names in a list of the client; None where the service does not answer or
    refuses.
    """
    from ..client import Client, ClientError

    use_kept_token()
    try:
        with Client(timeout=timeout) as client:
            return [item.name for item in getattr(client, listing)(limit=most).items]
    except ClientError:
        return None


def _names(listing: str, incomplete: str) -> list[str]:
    """Return names for the shell's completion, which must not keep anybody waiting."""
    return [name for name in names(listing, timeout=3) or () if name.startswith(incomplete)]


def complete_hosts(incomplete: str) -> list[str]:
    """Complete the name of a host."""
    return _names("hosts_list", incomplete)


def complete_accounts(incomplete: str) -> list[str]:
    """Complete the name of an account."""
    return _names("accounts_list", incomplete)


def complete_stores(incomplete: str) -> list[str]:
    """Complete the name of a store."""
    return _names("stores_list", incomplete)


def complete_jobs(incomplete: str) -> list[str]:
    """Complete the name of a job."""
    return _names("jobs_list", incomplete)


def complete_tokens(incomplete: str) -> list[str]:
    """Complete the name of a token."""
    return _names("tokens_list", incomplete)


def _name(what: str, completion: Any = None) -> Any:
    return typer.Argument(help=what, metavar="NAME", show_default=False, autocompletion=completion)


AsJson = Annotated[
    bool,
    typer.Option(
        "--json", help="JSON, for programs; errors too.", callback=_use_json, is_eager=True
    ),
]
Yes = Annotated[bool, typer.Option("--yes", help="Do not ask.")]
HostName = Annotated[str, _name("The host's name.", complete_hosts)]
NewHostName = Annotated[str, _name("A name for the host.")]
AccountName = Annotated[str, _name("The account's name.", complete_accounts)]
NewAccountName = Annotated[str, _name("The account's name.")]
StoreName = Annotated[str, _name("The store's name.", complete_stores)]
NewStoreName = Annotated[str, _name("A name for the store.")]
JobName = Annotated[str, _name("The job's name.", complete_jobs)]
NewJobName = Annotated[str, _name("A name for the job.")]
TokenName = Annotated[str, _name("The token's name.", complete_tokens)]
SubjectOption = Annotated[str, typer.Option(help="Only of this account, site or host.")]
