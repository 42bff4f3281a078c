"""An OpenSSH server on loopback, for the time of a comparison."""

from __future__ import annotations

import getpass
import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

from .loopback import free_port, wait_for


def found() -> bool:
    """Return whether this machine has an OpenSSH server and its sftp."""
    return (
        shutil.which("sshd", path="/usr/sbin:/usr/bin") is not None
        and shutil.which("sftp") is not None
    )


class OpenSsh:
    """A server with a key to sign in; ``bundles`` is its folder."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir()
        program = shutil.which("sshd", path="/usr/sbin:/usr/bin")
        assert program
        if os.geteuid() == 0:
            Path("/run/sshd").mkdir(exist_ok=True)
        for name in ("host", "user"):
            subprocess.run(
                ["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(folder / name)],
                check=True,
            )
        self.port = free_port()
        (folder / "config").write_text(
            f"Port {self.port}\nListenAddress 127.0.0.1\nHostKey {folder}/host\nPidFile "
            f"{folder}/pid\n"
            f"AuthorizedKeysFile {folder}/user.pub\nStrictModes no\nUsePAM no\nPermitRootLogin "
            "yes\n"
            "PasswordAuthentication no\nSubsystem sftp internal-sftp\n"
            # Start files of the shell would be measured too.
            f"SetEnv HOME={folder} PATH=/usr/bin:/bin:{Path(sys.executable).parent}\n"
        )
        self.folder, self.bundles = folder, folder / "bundles"
        self.bundles.mkdir()
        shown = subprocess.run(
            ["ssh-keygen", "-l", "-f", str(folder / "host.pub")],
            check=True,
            capture_output=True,
            text=True,
        )
        self.host_key = shown.stdout.split()[1]
        self._process = subprocess.Popen(
            [program, "-D", "-e", "-f", str(folder / "config")], stderr=subprocess.DEVNULL
        )
        wait_for(self.port, "sshd")

    @property
    def settings(self) -> dict[str, Any]:
        return {
            "address": "127.0.0.1",
            "port": self.port,
            "user": getpass.getuser(),
            "folder": str(self.bundles),
            "host_key": self.host_key,
        }

    @property
    def key(self) -> str:
        return (self.folder / "user").read_text()

    def put(self, local: Path) -> str:
        """Return the command that puts a file by the system's own client."""
        return (
            f"echo put {local} {self.bundles}/theirs | sftp -q -b - -P {self.port} -i "
            f"{self.folder}/user "
            f"-o StrictHostKeyChecking=no -o UserKnownHostsFile=/dev/null 127.0.0.1"
        )

    def close(self) -> None:
        self._process.terminate()
        self._process.wait(30)
