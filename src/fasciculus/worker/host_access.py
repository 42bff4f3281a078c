"""The door to the host of an order."""

from __future__ import annotations

from pathlib import Path

from ..hosts.base import HostConnection
from ..hosts.local import LocalHost
from .orders import HostOrder


def open_host(host: HostOrder, spool: Path) -> HostConnection:
    """The door to a host."""
    if not host.address:
        return LocalHost()
    # Imported late: most hosts are this machine.
    from ..hosts.ssh import SshHost
    from ..ssh import SshSpec

    spool.mkdir(parents=True, exist_ok=True, mode=0o700)
    spec = SshSpec(
        host.address,
        host.port,
        host.user,
        host.host_key,
        host.secrets,
        f"the settings of host {host.name}",
    )
    return SshHost(spec, spool)
