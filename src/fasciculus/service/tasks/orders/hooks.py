"""Commands and hold pages around a task, as its order has them."""

from __future__ import annotations

import shlex
from collections.abc import Iterable

from ....contracts.orders import CommandOrder, SubjectOrder
from ....core.subject import SubjectKind
from ....models import Account, Command
from ....models.inventory.inventory import HostFields
from .subjects import FoundSubject


def command_orders(commands: Iterable[Command], subject: FoundSubject) -> list[CommandOrder]:
    """Return commands with the names of their subject filled in."""
    return [
        CommandOrder(
            when=row.when,
            command=with_names(row.command, subject),
            seconds=row.seconds,
            stops=row.stops,
        )
        for row in commands
    ]


def with_names(text: str, subject: FoundSubject) -> str:
    """Return a command with the subject's own names in it; other braces are not changed."""
    names = {
        "{account}": subject.owner,
        "{subject}": subject.order.name,
        "{home}": subject.order.root,
    }
    for mark, value in names.items():
        text = text.replace(mark, shlex.quote(value) if value else "")
    return text


def hold_flags(host: HostFields, account: Account | None, subject: SubjectOrder) -> list[str]:
    """Return the flag files of a subject's hold pages."""
    if not host.hold_flag or account is None:
        return []
    is_site = subject.kind == SubjectKind.SITE
    sites = [subject.name] if is_site else [site.name for site in account.sites]
    if "{site}" not in host.hold_flag:
        sites = [""]
    return [host.hold_flag.format(site=site, account=account.name) for site in sites]
