"""A real OpenSSH server."""

from __future__ import annotations

import getpass
import os
import shutil
import socket
import subprocess
import sys
from pathlib import Path

from ports import free_port
from running import until

from fasciculus.ssh import SshSpec
from fasciculus.stores import store_spec
from fasciculus.stores.base import StoreSpec

#: Where commands over SSH are looked for; last the interpreter of the tests.
_PATH = f"/usr/sbin:/usr/bin:/sbin:/bin:{Path(sys.executable).parent}"


class OpenSsh:
    """A real OpenSSH server on loopback, with a key to sign in."""

    def __init__(self, folder: Path, more: str = "", address: str = "127.0.0.1") -> None:
        self.address = address
        program = shutil.which("sshd", path="/usr/sbin:/usr/bin")
        assert program, "openssh-server is missing"
        if os.geteuid() == 0:
            Path("/run/sshd").mkdir(exist_ok=True)
        for name in ("host", "user"):
            subprocess.run(
                ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(folder / name)],
                check=True,
            )
        (folder / "authorized").write_text((folder / "user.pub").read_text())
        self.port = free_port()
        config = folder / "config"
        config.write_text(
            f"Port {self.port}\nListenAddress {address}\nHostKey {folder}/host\nPidFile "
            f"{folder}/pid\n"
            f"AuthorizedKeysFile {folder}/authorized\nStrictModes no\nUsePAM no\nPermitRootLogin "
            "yes\n"
            f"PasswordAuthentication no\nSubsystem sftp internal-sftp\n"
            # The start files of the developer's shell are not tested.
            f"SetEnv HOME={folder} PATH={_PATH}\n{more}"
        )
        self.key = (folder / "user").read_text()
        shown = subprocess.run(
            ["ssh-keygen", "-l", "-f", str(folder / "host.pub")],
            check=True,
            capture_output=True,
            text=True,
        )
        self.host_key = shown.stdout.split()[1]
        self.bundles = folder / "bundles"
        self.bundles.mkdir()
        self.log = (folder / "log").open("w")
        self.process = subprocess.Popen([program, "-D", "-e", "-f", str(config)], stderr=self.log)
        until(self._listens)

    def _listens(self) -> bool:
        with socket.socket() as probe:
            return probe.connect_ex((self.address, self.port)) == 0

    def host(self) -> SshSpec:
        """The machine as a host to be reached over SSH."""
        return SshSpec(
            self.address, self.port, getpass.getuser(), self.host_key, {"private_key": self.key}
        )

    def spec(self) -> StoreSpec:
        settings = {
            "address": "127.0.0.1",
            "port": self.port,
            "user": getpass.getuser(),
            "folder": str(self.bundles),
            "host_key": self.host_key,
        }
        return store_spec("openssh", {"kind": "sftp", **settings}, {"private_key": self.key})

    def close(self) -> None:
        self.process.terminate()
        self.process.wait(30)
        self.log.close()
