"""A small FTP server on loopback: a stand-in for shared web space, optionally with TLS."""

from __future__ import annotations

import io
import threading
from contextlib import suppress
from pathlib import Path
from typing import Any, cast

from pyftpdlib.authorizers import DummyAuthorizer
from pyftpdlib.filesystems import AbstractedFS, FilesystemError
from pyftpdlib.handlers import FTPHandler, TLS_FTPHandler
from pyftpdlib.log import config_logging
from pyftpdlib.servers import ThreadedFTPServer

from .misbehaviour import CutError, Misbehaviour, free_bytes

_READ, _WRITE = "elr", "adfmwMT"


class _File:
    """An open file whose bytes pass through the stand-in's misbehaviour."""

    def __init__(self, inner: io.FileIO, handler: Any, stand_in: FtpStandIn) -> None:
        self._inner, self._handler, self._stand_in = inner, handler, stand_in
        self._writes = inner.writable()
        self.name, self.closed = inner.name, False

    def _moved(self, count: int, incoming: bool) -> None:
        try:
            self._stand_in.misbehaviour.moved(count, incoming)
        except CutError:
            # Both connections, as a broken line does.
            self._inner.flush()
            for channel in (self._handler.data_channel, self._handler):
                with suppress(Exception):
                    channel.close()
            raise OSError("cut") from None

    def write(self, data: bytes) -> int:
        if not self._stand_in.fits(len(data)):
            raise OSError(28, "No space left on device")
        self._moved(len(data), True)
        written = 0
        while written < len(data):
            written += self._inner.write(data[written:]) or 0
        return written

    def read(self, count: int = -1) -> bytes:
        data = self._inner.read(count)
        self._moved(len(data), False)
        return data

    def seek(self, *where: int) -> int:
        return self._inner.seek(*where)

    def fileno(self) -> int:
        return self._inner.fileno()

    def close(self) -> None:
        if not self.closed:
            self.closed = True
            self._inner.close()


class _Files(AbstractedFS):  # type: ignore[misc]
    def open(self, filename: str, mode: str) -> Any:
        stand_in = self.cmd_channel.stand_in
        stand_in.misbehaviour.look()
        if stand_in.misbehaviour.refuse and mode != "rb":
            raise FilesystemError("this folder may not be written")
        # Unbuffered: a full disk shows while data arrives, when it can still be answered.
        return _File(cast(io.FileIO, open(filename, mode, buffering=0)), self.cmd_channel, stand_in)

    def rename(self, src: str, dst: str) -> None:
        super().rename(src, dst)
        self.cmd_channel.stand_in.misbehaviour.stored(Path(dst))


def _data_handler(base: Any, stand_in: FtpStandIn) -> type:
    """Return a data connection that says so when a file does not fit."""

    def handle_error(self: Any) -> None:
        if stand_in.fits(1):
            base.handle_error(self)
        else:
            self._resp = ("452 Insufficient storage space.", lambda text: None)
            self.close()

    return type("Data", (base,), {"handle_error": handle_error})


class FtpStandIn:
    """Serves a folder over FTP. ``quota`` bounds the bytes below it.

    With ``certificate``, a PEM file of key and certificate, it wants TLS on both connections.
    ``mlsd`` says whether it knows the listing of RFC 3659, or LIST alone.
    """

    def __init__(
        self,
        root: Path,
        user: str,
        password: str,
        port: int = 0,
        certificate: Path | None = None,
        quota: int | None = None,
        mlsd: bool = True,
    ) -> None:
        config_logging(level=50)
        root.mkdir(parents=True, exist_ok=True)
        self.root, self.user, self.password, self.quota = root, user, password, quota
        self.misbehaviour = Misbehaviour()
        authorizer = DummyAuthorizer()
        authorizer.add_user(user, password, str(root), perm=_READ + _WRITE)
        base: Any = TLS_FTPHandler if certificate else FTPHandler
        members: dict[str, Any] = {
            "authorizer": authorizer,
            "abstracted_fs": _Files,
            "stand_in": self,
            "use_sendfile": False,
            "dtp_handler": _data_handler(base.dtp_handler, self),
            "auth_failed_timeout": 0,
            "banner": "Web space of Heronmere",
        }
        if certificate:
            members |= {
                "certfile": str(certificate),
                "tls_control_required": True,
                "tls_data_required": True,
            }
        if not mlsd:
            known = dict(base.proto_cmds)
            for command in ("MLSD", "MLST", "OPTS"):
                known.pop(command, None)
            members["proto_cmds"] = known
            members["_extra_feats"] = []
            members["ftp_FEAT"] = lambda handler, line: handler.respond("502 Not known.")
        self._handler = type("Handler", (base,), members)
        self._server = ThreadedFTPServer(("127.0.0.1", port), self._handler)
        self.port: int = self._server.address[1]
        self._left = 0
        self._lock = threading.Lock()
        self._thread = threading.Thread(target=self._serve, daemon=True, name="ftp-stand-in")
        self._thread.start()

    def _serve(self) -> None:
        with suppress(OSError):
            self._server.serve_forever(timeout=0.2, handle_exit=False)

    def fits(self, count: int) -> bool:
        """Return whether so many further bytes fit."""
        if self.misbehaviour.full:
            return False
        if self.quota is None:
            return True
        with self._lock:
            if self._left < count:
                self._left = min(free_bytes(self.root, self.quota, self.misbehaviour), 1024 * 1024)
            if self._left < count:
                return False
            self._left -= count
            return True

    def close(self) -> None:
        """End it and all its connections."""
        self._server.close_all()
        self._thread.join(10)
