"""A private MariaDB server in a folder, where the machine has the program."""

from __future__ import annotations

import os
import shutil
import subprocess
import time
from pathlib import Path
from typing import Any
from zlib import crc32

import pymysql

_START_SECONDS = 60
_PLACES = os.pathsep.join(["/usr/sbin", "/usr/local/sbin", os.environ.get("PATH", "")])


def found() -> str | None:
    """Return the server program, if this machine has it."""
    return shutil.which("mariadbd", path=_PLACES)


class PrivateMariaDb:
    """A server with its own data folder, reached only through its socket; ``options`` are those of
    its program.
    """

    def __init__(self, folder: Path, *options: str) -> None:
        program = found()
        if program is None:
            raise FileNotFoundError("mariadbd is not on this machine")
        self.data, self.socket = folder / "data", str(folder / "mariadb.sock")
        if len(self.socket) > 100:
            # A socket's path may not be longer than 107 bytes.
            self.socket = f"/tmp/fasciculus-mariadb-{os.getpid()}-{crc32(bytes(folder))}.sock"
        # A server that starts removes what others have in a shared one.
        scratch = folder / "tmp"
        scratch.mkdir(parents=True, exist_ok=True)
        environment = {**os.environ, "TMPDIR": str(scratch)}
        user = ["--user=root"] if os.geteuid() == 0 else []
        if not self.data.exists():
            installer = shutil.which("mariadb-install-db", path=_PLACES) or "mariadb-install-db"
            made = subprocess.run(
                [
                    installer,
                    "--no-defaults",
                    f"--datadir={self.data}",
                    "--skip-test-db",
                    "--auth-root-authentication-method=socket",
                    *user,
                ],
                capture_output=True,
                text=True,
                env=environment,
            )
            if made.returncode:
                raise RuntimeError(f"{installer} failed: {made.stdout}{made.stderr}")
        self._log = (folder / "mariadb.log").open("ab")
        self._process = subprocess.Popen(
            [
                program,
                "--no-defaults",
                f"--datadir={self.data}",
                f"--socket={self.socket}",
                "--skip-networking",
                f"--pid-file={folder / 'mariadb.pid'}",
                "--innodb-flush-log-at-trx-commit=2",
                *options,
                *user,
            ],
            stdout=self._log,
            stderr=self._log,
            start_new_session=True,
            env=environment,
        )
        self._await()

    def _await(self) -> None:
        deadline = time.monotonic() + _START_SECONDS
        while True:
            try:
                self.connect().close()
                return
            except pymysql.err.OperationalError:
                if time.monotonic() > deadline or self._process.poll() is not None:
                    self.close()
                    raise
                time.sleep(0.1)

    def connect(self, database: str | None = None) -> pymysql.connections.Connection[Any]:
        """Return a connection as the system user that runs it."""
        name = "root" if os.geteuid() == 0 else os.environ.get("USER", "")
        return pymysql.connect(
            unix_socket=self.socket,
            user=name,
            database=database,
            charset="utf8mb4",
            autocommit=True,
            ssl_disabled=True,
        )

    def run(self, *statements: str, database: str | None = None) -> None:
        """Execute statements."""
        connection = self.connect(database)
        try:
            with connection.cursor() as cursor:
                for statement in statements:
                    cursor.execute(statement)
        finally:
            connection.close()

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._process.poll() is None:
            self._process.terminate()
            try:
                self._process.wait(30)
            except subprocess.TimeoutExpired:
                self._process.kill()
                self._process.wait()
        self._log.close()
