"""A service with many accounts and one job, for rows that measure everything together."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path
from typing import Self

from fasciculus.client import Client, ClientError
from fasciculus.core.contents import Contents
from fasciculus.models import AccountInput, HostInput, JobInput, KindSettings, StoreInput

from .loopback import free_port

STORE = "attic"
HOST = HostInput(name="reed-1")
_PASSWORD = "sedge-and-quill"
_PATIENCE = 60.0
_PAUSE = 0.02


class Night:
    """Used with ``with``: the service runs, and :meth:`run` carries its job out once."""

    def __init__(
        self, folder: Path, homes: Path, host: HostInput = HOST, store: StoreInput | None = None
    ) -> None:
        self._folder, self._homes, self._host, self._store = folder, homes, host, store
        self._port = free_port()

    def __enter__(self) -> Self:
        self._folder.mkdir()
        environment = {
            **os.environ,
            "FASCICULUS_HOME": str(self._folder / "home"),
            "FASCICULUS_PORT": str(self._port),
            "FASCICULUS_ADMIN_PASSWORD": _PASSWORD,
        }
        environment.pop("FASCICULUS_TOKEN", None)
        with (self._folder / "log").open("wb") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "fasciculus.service"],
                env=environment,
                stdin=subprocess.DEVNULL,
                stdout=log,
                stderr=log,
            )
        self.client = Client(f"http://127.0.0.1:{self._port}", token=None)
        try:
            self._wait()
            self.client.session_open("administrator", _PASSWORD)
            self._set_up()
        except BaseException:
            self.__exit__()
            raise
        return self

    def __exit__(self, *_: object) -> None:
        self.client.close()
        self.process.terminate()
        self.process.wait(_PATIENCE)

    def _wait(self) -> None:
        deadline = time.monotonic() + _PATIENCE
        while time.monotonic() < deadline:
            try:
                self.client.health()
                return
            except ClientError:
                time.sleep(_PAUSE)
        raise RuntimeError(f"The service did not start; see {self._folder / 'log'}.")

    def _set_up(self) -> None:
        store = self._folder / "store"
        store.mkdir()
        self.client.hosts_add(self._host)
        for home in sorted(self._homes.iterdir()):
            self.client.accounts_add(AccountInput(name=home.name, host=HOST.name, home=str(home)))
        settings = KindSettings.model_validate({"kind": "folder", "folder": str(store)})
        self.client.stores_add(self._store or StoreInput(name=STORE, settings=settings))
        self.client.jobs_add(
            JobInput(
                name="nightly",
                contents=[Contents.FILES],
                stores=[STORE],
                keep="1000 newest",
                mode="incremental",
            )
        )

    def run(self) -> None:
        """Run the job to its end."""
        handle = self.client.start("nightly")
        for _ in handle.follow():
            pass
        result = handle.result()
        if result.outcome != "done":
            raise RuntimeError(result.sentence)
