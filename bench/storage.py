"""An FTP server and an object storage on loopback, for the time of a comparison."""

from __future__ import annotations

import multiprocessing
import os
import shutil
import subprocess
import time
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

from fasciculus.demo.object_storage import ObjectStorageStandIn

from .loopback import free_port, wait_for

KEYS = ("HERONMERE", "boat-and-rope")


class ObjectStorage:
    """The stand-in in a separate process, so that both sides are measured separately."""

    def __init__(self, folder: Path) -> None:
        here, there = multiprocessing.Pipe()
        self._process = multiprocessing.Process(target=_serve, args=(folder, there), daemon=True)
        self._process.start()
        self.url: str = here.recv()

    def client(self) -> Any:
        """Return a client as its makers use it."""
        import boto3

        return boto3.client(
            "s3",
            endpoint_url=self.url,
            region_name="us-east-1",
            aws_access_key_id=KEYS[0],
            aws_secret_access_key=KEYS[1],
        )

    def close(self) -> None:
        self._process.terminate()
        self._process.join(10)


def _serve(folder: Path, told: Connection) -> None:
    storage = ObjectStorageStandIn(folder, *KEYS)
    told.send(storage.url)
    while True:
        time.sleep(60)


def vsftpd_found() -> bool:
    """Return whether this machine has vsftpd and may start it."""
    return os.geteuid() == 0 and shutil.which("vsftpd", path="/usr/sbin:/usr/bin") is not None


class Vsftpd:
    """Debian's vsftpd, anonymous, with a folder that may be written."""

    def __init__(self, folder: Path) -> None:
        program = shutil.which("vsftpd", path="/usr/sbin:/usr/bin")
        assert program
        root, empty = folder / "root", folder / "empty"
        (root / "up").mkdir(parents=True)
        empty.mkdir()
        for place in (*[p for p in folder.parents if len(p.parts) > 2], folder, root):
            place.chmod(place.stat().st_mode | 0o055)
        shutil.chown(root / "up", "ftp", "nogroup")
        self.port = free_port()
        yes = "anonymous_enable no_anon_password write_enable anon_upload_enable"
        yes += " anon_mkdir_write_enable anon_other_write_enable listen"
        no = "background anon_world_readable_only seccomp_sandbox isolate isolate_network"
        lines = [f"{name}=YES" for name in yes.split()] + [f"{name}=NO" for name in no.split()]
        lines += [f"anon_root={root}", f"secure_chroot_dir={empty}", "listen_address=127.0.0.1"]
        (folder / "config").write_text("\n".join([*lines, f"listen_port={self.port}", ""]))
        self._process = subprocess.Popen([program, str(folder / "config")])
        wait_for(self.port, "vsftpd")

    @property
    def settings(self) -> dict[str, Any]:
        return {
            "address": "127.0.0.1",
            "port": self.port,
            "user": "anonymous",
            "folder": "/up",
            "security": "none",
        }

    def close(self) -> None:
        self._process.terminate()
        self._process.wait(30)
