"""Proves, step by step, that a host can be read."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping
from contextlib import closing
from pathlib import Path

from ....config import Config
from ....contracts.orders import HostOrder
from ....core.errors import FasciculusError
from ....core.steps import Step
from ....databases import ENGINES
from ....hosts import open_host
from ....hosts.base import HostConnection
from ....hosts.path_patterns import expand
from ....models import TryResult, TryStep
from ....models.inventory.inventory import HostFields
from ....worker.database_access import database_access
from ... import outside
from ...tasks.orders.connections import host_order_from_fields

#: The steps in their order, so that the one that failed has its name.
_CONNECTING = ("connect", "host key", "sign in", "commands")
_SHOWN = 5


def try_host(
    config: Config, host: HostFields, secrets: Mapping[str, str], homes: list[str]
) -> TryResult:
    """Try a host with its secrets; ``homes`` are those of its accounts."""
    with tempfile.TemporaryDirectory(dir=config.spool, prefix="trying-") as spool:
        try:
            return outside.try_out(_tried, spool, host, dict(secrets), homes)
        except FasciculusError as error:
            step = TryStep(name="host", ok=False, text=error.message, hint=error.hint)
            return TryResult(ok=False, steps=[step])


def _tried(spool: str, host: HostFields, secrets: dict[str, str], homes: list[str]) -> TryResult:
    order = host_order_from_fields(host, secrets)
    steps: list[Step] = []
    with closing(open_host(order.spec(), Path(spool))) as connection, outside.trial_time():
        try:
            for step in connection.steps():
                steps.append(step)  # noqa: PERF402  the steps before a failure are kept
        except FasciculusError as error:
            name = _CONNECTING[min(len(steps), len(_CONNECTING) - 1)]
            steps.append(Step(name, False, error.message, error.hint))
        else:
            steps += _servers(connection, order, spool)
            steps += _files(connection, host)
            steps += _homes(connection, homes)
        seen_key = connection.seen_key
    if not steps:
        steps.append(Step("host", True, "This machine; nothing further is set."))
    rows = [TryStep(name=s.name, ok=s.ok, text=s.text, hint=s.hint) for s in steps]
    return TryResult(ok=all(row.ok for row in rows), steps=rows, host_key=seen_key)


def _servers(connection: HostConnection, order: HostOrder, spool: str) -> Iterator[Step]:
    for name in order.servers:
        engine = ENGINES.get(name)
        try:
            access = database_access(name, order, connection, "", spool)
            yield Step("database server", True, f"It answers: {engine.version(access)}.")
            for rights in engine.rights(access):
                hint = f"Run: {rights.grant}" if rights.grant else ""
                yield Step("rights", True, rights.text, hint)
        except FasciculusError as error:
            yield Step("database server", False, error.message, error.hint)


def _files(connection: HostConnection, host: HostFields) -> Iterator[Step]:
    mail = host.mail
    for what, path in (
        ("alias map", mail.alias_map),
        ("mailbox map", mail.mailbox_map),
        ("transport map", mail.transport_map),
        ("passwd-file", mail.passwd_file),
    ):
        if path:
            try:
                connection.read_text(path)
                yield Step(what, True, f"{path} can be read.")
            except FasciculusError as error:
                yield Step(what, False, error.message, error.hint)
    for pattern in host.system:
        found = expand(connection, pattern)
        yield Step(
            "system",
            bool(found),
            f"{pattern}: " + (f"{len(found)} found." if found else "nothing is called so."),
            "" if found else "Correct the pattern.",
        )


def _homes(connection: HostConnection, homes: list[str]) -> Iterator[Step]:
    unreadable = []
    for home in homes:
        try:
            readable = (
                connection.type_of(home) == "dir" and connection.names(home.encode()) is not None
            )
        except (OSError, FasciculusError):
            readable = False
        if not readable:
            unreadable.append(home)
    if unreadable:
        shown = ", ".join(unreadable[:_SHOWN]) + (
            f" and {len(unreadable) - _SHOWN} more" if len(unreadable) > _SHOWN else ""
        )
        yield Step(
            "home folders",
            False,
            f"These cannot be read: {shown}.",
            "Correct the accounts' homes, or the rights of the user.",
        )
    elif homes:
        yield Step(
            "home folders",
            True,
            f"All {len(homes)} can be read." if len(homes) > 1 else "It can be read.",
        )
