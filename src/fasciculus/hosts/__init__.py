"""Hosts: one protocol, one file for each kind.

A new kind is a module with a :class:`~fasciculus.hosts.base.HostKind`, and its line in ``KINDS`` or
an entry point of the group ``fasciculus.hosts``.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ..registry import Registry

if TYPE_CHECKING:
    from .base import HostConnection, HostKind, HostSpec

KINDS: Registry[HostKind] = Registry(
    "kind of host",
    "fasciculus.hosts",
    {
        "local": f"{__name__}.local:KIND",
        "ssh": f"{__name__}.ssh.host:KIND",
        "ftp": f"{__name__}.ftp:KIND",
        "unconnected": f"{__name__}.unconnected:KIND",
    },
    staying=("ssh", "ftp"),
)


def host_spec(
    name: str, settings: Mapping[str, Any] | str | bytes, secrets: Mapping[str, str] | None = None
) -> HostSpec:
    """Return the spec of a host out of plain values or saved JSON; errors as with ``Registry``."""
    from .base import HostSpec

    parsed = KINDS.parse(settings) if isinstance(settings, Mapping) else KINDS.stored(settings)
    return HostSpec(name, parsed, dict(secrets or {}))


def open_host(spec: HostSpec, spool: Path) -> HostConnection:
    """Return the host of a spec, not connected yet."""
    return KINDS.get(spec.settings.kind).open(spec, spool)
