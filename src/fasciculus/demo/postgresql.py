"""A private PostgreSQL server in a folder, where the machine has the program."""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

import psycopg

_START_SECONDS = 60
_PORT = 5432
#: The user that Debian's package makes for its servers, which refuse to run as root.
_USER = "postgres"
_PREFIX = "fasciculus-postgresql-"


def found() -> Path | None:
    """Return the folder of the server's programs, if this machine has it."""
    folders = sorted(Path("/usr/lib/postgresql").glob("*/bin"), reverse=True)
    for folder in [*folders, Path("/usr/local/bin"), Path("/usr/bin")]:
        if (folder / "initdb").exists() and (folder / "postgres").exists():
            return folder
    return None


class PrivatePostgreSql:
    """A server with its own data folder, reached only through its socket.

    With a ``name`` its folder stays for the next time.
    """

    def __init__(self, name: str = "") -> None:
        programs = found()
        if programs is None:
            raise FileNotFoundError("PostgreSQL is not on this machine")
        self._stays = bool(name)
        # The server's own user cannot enter the folders of root.
        self._folder = _folder(name) if name else Path(tempfile.mkdtemp(prefix=_PREFIX))
        self.data = self._folder / "data"
        self.socket = str(self._folder)
        self._as: dict[str, Any] = {}
        if os.geteuid() == 0:
            entry = pwd.getpwnam(_USER)
            os.chown(self._folder, entry.pw_uid, entry.pw_gid)
            self._as = {"user": _USER, "group": entry.pw_gid, "extra_groups": []}
        if not (self.data / "PG_VERSION").exists():
            self._initialise(programs)
        self._log = (self._folder / "server.log").open("ab")
        self._process = subprocess.Popen(
            [
                programs / "postgres",
                "-D",
                self.data,
                "-k",
                self.socket,
                *("-c", "listen_addresses=", "-c", "fsync=off", "-c", "full_page_writes=off"),
                *("-c", "max_connections=60", "-c", "shared_buffers=64MB", "-c", f"port={_PORT}"),
            ],
            stdout=self._log,
            stderr=self._log,
            start_new_session=True,
            cwd="/",
            **self._as,
        )
        self._await()

    def _initialise(self, programs: Path) -> None:
        made = subprocess.run(
            [
                programs / "initdb",
                *("--no-sync", "--no-instructions", "--encoding=UTF8", "--locale=C.UTF-8"),
                f"--username={_USER}",
                "--auth=trust",
                "-D",
                self.data,
            ],
            capture_output=True,
            text=True,
            cwd="/",
            **self._as,
        )
        if made.returncode:
            raise RuntimeError(f"initdb failed: {made.stdout}{made.stderr}")
        # The superuser signs in without a password, everybody else with one.
        (self.data / "pg_hba.conf").write_text(
            f"local all {_USER} trust\nlocal all all scram-sha-256\n"
        )

    def _await(self) -> None:
        deadline = time.monotonic() + _START_SECONDS
        while True:
            try:
                with self.connect():
                    return
            except psycopg.OperationalError:
                if time.monotonic() > deadline or self._process.poll() is not None:
                    self.close()
                    raise
                time.sleep(0.05)

    @contextmanager
    def connect(self, database: str = "postgres") -> Iterator[psycopg.Connection[Any]]:
        """Provide a connection as the superuser."""
        with psycopg.connect(
            host=self.socket, port=_PORT, user=_USER, dbname=database, autocommit=True
        ) as connection:
            yield connection

    def run(self, *statements: str, database: str = "postgres") -> None:
        """Execute statements."""
        with self.connect(database) as connection:
            for statement in statements:
                connection.execute(statement.encode())

    def close(self) -> None:
        """Close it and remove its temporary folder; harmless if it is closed already."""
        if self._process.poll() is None:
            self._process.terminate()
            try:
                self._process.wait(20)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
        self._log.close()
        if not self._stays:
            with suppress(OSError):
                shutil.rmtree(self._folder)


def _folder(name: str) -> Path:
    """Return a folder that belongs to this user, or to the server's; it is made if missing."""
    path = Path(tempfile.gettempdir()) / f"{_PREFIX}{name}"
    path.mkdir(mode=0o700, exist_ok=True)
    info = path.lstat()
    own = {os.geteuid()} | ({pwd.getpwnam(_USER).pw_uid} if os.geteuid() == 0 else set())
    if info.st_uid not in own or not path.is_dir() or path.is_symlink():
        raise PermissionError(f"{path} belongs to someone else; remove it.")
    return path
