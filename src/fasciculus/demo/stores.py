"""The stores of the demo: one of each kind, on stand-ins."""

from __future__ import annotations

import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from ..client import Client
from ..models import KindSettings, StoreInput
from .certificate import certificate, public_part
from .drive import DriveStandIn
from .ftp import FtpStandIn
from .misbehaviour import Misbehaviour
from .object_storage import ObjectStorageStandIn
from .sftp import SftpStandIn

_USER = "fasciculus"
_GIB = 1024**3


@dataclass(slots=True)
class StorePorts:
    """The ports of the stand-ins, kept from one start to the next."""

    sftp: int = 0
    ftp: int = 0
    objects: int = 0
    drive: int = 0
    library: int = 0


@dataclass(slots=True)
class DemoStores:
    """All stand-ins for stores, and how the service reaches them."""

    folder: Path
    password: str
    ports: StorePorts = field(default_factory=StorePorts)

    sftp: SftpStandIn = field(init=False)
    ftp: FtpStandIn = field(init=False)
    objects: ObjectStorageStandIn = field(init=False)
    drive: DriveStandIn = field(init=False)
    library: DriveStandIn = field(init=False)

    def start(self) -> None:
        """Start them on their ports of last time, as far as those are free."""
        folder, password, ports = self.folder, self.password, self.ports
        pem = certificate(folder / "keys" / "cellar.pem")
        self.sftp = SftpStandIn(
            folder / "boathouse", folder / "keys/sftp-host-key", _USER, password, ports.sftp
        )
        self.ftp = FtpStandIn(folder / "cellar", _USER, password, ports.ftp, pem)
        self.objects = ObjectStorageStandIn(
            folder / "icehouse", _USER, password, ports.objects, quota=2 * _GIB
        )
        self.library = DriveStandIn(
            folder / "library", ports.library, quota=_GIB, user=_USER, password=password
        )
        self.drive = DriveStandIn(folder / "drive", ports.drive, quota=_GIB // 2)
        (folder / "misbehaviour").mkdir(exist_ok=True)
        for name, stand_in in self._by_name():
            # What a line of JSON in this file says, the stand-in does wrong.
            misbehaviour: Misbehaviour = stand_in.misbehaviour
            misbehaviour.file = folder / "misbehaviour" / f"{name}.json"
        self.ports = StorePorts(
            self.sftp.port,
            self.ftp.port,
            self.objects.port,
            self.drive.port,
            self.library.port,
        )

    def _by_name(self) -> Iterator[tuple[str, Any]]:
        yield "boathouse", self.sftp
        yield "cellar", self.ftp
        yield "icehouse", self.objects
        yield "library", self.library
        yield "drive", self.drive

    def inputs(self) -> list[StoreInput]:
        """Return the stores to save. The drive is asked for access afterwards."""
        password: dict[str, str | None] = {"password": self.password}
        attic = self.folder / "attic"
        attic.mkdir(exist_ok=True)
        return [
            StoreInput(
                name="boathouse",
                settings=KindSettings.model_validate(
                    {
                        "kind": "sftp",
                        "address": "127.0.0.1",
                        "port": self.sftp.port,
                        "user": _USER,
                        "folder": "/bundles",
                        "host_key": self.sftp.host_key,
                    }
                ),
                secrets=password,
                limits=["200 MiB/s 08:00-18:00"],
            ),
            StoreInput(
                name="attic",
                settings=KindSettings.model_validate({"kind": "folder", "folder": str(attic)}),
            ),
            StoreInput(
                name="cellar",
                settings=KindSettings.model_validate(
                    {
                        "kind": "ftp",
                        "address": "127.0.0.1",
                        "port": self.ftp.port,
                        "user": _USER,
                        "folder": "/bundles",
                        "certificate": public_part(self.folder / "keys" / "cellar.pem"),
                    }
                ),
                secrets=password,
            ),
            StoreInput(
                name="icehouse",
                settings=KindSettings.model_validate(
                    {
                        "kind": "s3",
                        "endpoint": self.objects.url,
                        "bucket": "heronmere",
                        "folder": "bundles",
                        "path_style": True,
                        "create_bucket": True,
                    }
                ),
                secrets={"access_key": _USER, "secret_key": self.password},
                price_kept=0.02,
                price_moved=0.01,
                currency="EUR",
            ),
            StoreInput(
                name="library",
                settings=KindSettings.model_validate(
                    {
                        "kind": "webdav",
                        "url": f"{self.library.url}/dav/bundles",
                        "user": _USER,
                    }
                ),
                secrets=password,
                copy_from="boathouse",
                copy_timetable="daily 05:00",
            ),
        ]

    def drive_input(self) -> StoreInput:
        """Return the settings of the drive."""
        return StoreInput(
            name="drive",
            settings=KindSettings.model_validate(
                {
                    "kind": "drive",
                    "url": f"{self.drive.url}/dav/bundles",
                    "device_url": f"{self.drive.url}/oauth/device",
                    "token_url": f"{self.drive.url}/oauth/token",
                    "client_id": "fasciculus",
                    "scope": "files:bundles",
                }
            ),
        )

    def settle(self, client: Client) -> None:
        """Tell the service of them, or of the ports that have moved since."""
        known = {store.name for store in client.every(client.stores_list)}
        for store in self.inputs():
            if store.name in known:
                client.stores_change(store.name, store)
            else:
                client.stores_add(store)
        drive = self.drive_input()
        if drive.name in known:
            client.stores_change(drive.name, drive, untried=True)
        else:
            client.stores_add(drive, untried=True)
        # A restarted drive has forgotten its tokens: its owner agrees again, here by itself.
        asked = client.stores_connect(drive.name)
        self.drive.confirm(asked.code)
        while client.stores_access(drive.name).state == "waiting":
            time.sleep(0.1)
        client.stores_try(drive.name)

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        for _, stand_in in self._by_name():
            stand_in.close()
