"""Nights without changes in many small accounts, through the whole service."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from fasciculus.models import HostInput, KindSettings, StoreInput

from . import data, ssh
from .night import HOST, STORE, Night

if TYPE_CHECKING:
    from .__main__ import Bench

_COUNT = 1000
_TAR = (
    "rm -rf ../night; mkdir ../night; for h in *; do cp ../$h.snar ../night/;"
    "tar --listed-incremental=../night/$h.snar -cf ../night/$h.tar $h; done"
)


def small_accounts(bench: Bench) -> None:
    """Compare such a night with a loop of an ordinary tool, and one by way of OpenSSH with it."""
    from .__main__ import TAR, shell, side_by_side

    count = max(2, round(_COUNT * bench.scale))
    homes = bench.folder / "homes"
    data.accounts(homes, count)
    shell(f"for h in *; do {TAR} -cf /dev/null $h; done", homes)()
    what = f"a night of {count:,} unchanged accounts of 20 files"
    with Night(bench.folder / "service", homes) as here:
        here.run()
        ours, tar = side_by_side(here.run, shell(_TAR, homes))
        ratio = f"{ours / tar:.1f}x"
        bench.say(what, "a loop of tar --listed-incremental", ratio, "12x", "4x")
        print(f"{'':52} ({1000 * ours / count:.0f} ms an account)")
        if not ssh.found():
            print("no OpenSSH on this machine: its rows are left out")
            return
        server = ssh.OpenSsh(bench.folder / "ssh-accounts")
        try:
            for place, host, must, aim in (
                ("to SFTP", HOST, "-", "1.3x"),
                ("from SSH to SFTP", _host(server), "3x", "1.5x"),
            ):
                folder = bench.folder / place.replace(" ", "-")
                with Night(folder, homes, host, _store(server, folder.name)) as there:
                    there.run()
                    ours, theirs = side_by_side(there.run, here.run)
                ratio = f"{ours / theirs:.2f}x"
                bench.say(f"the same {place}", "this machine and a folder", ratio, must, aim)
        finally:
            server.close()


def _host(server: ssh.OpenSsh) -> HostInput:
    settings: dict[str, Any] = {**server.settings, "kind": "ssh"}
    del settings["folder"]
    return HostInput(
        name=HOST.name,
        connection=KindSettings.model_validate(settings),
        secrets={"private_key": server.key},
    )


def _store(server: ssh.OpenSsh, name: str) -> StoreInput:
    own = server.bundles / name
    own.mkdir()
    given = {**server.settings, "kind": "sftp", "folder": str(own)}
    settings = KindSettings.model_validate(given)
    return StoreInput(name=STORE, settings=settings, secrets={"private_key": server.key})
