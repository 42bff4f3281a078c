"""Files of another host, read over its connection."""

from __future__ import annotations

from contextlib import suppress
from typing import Any

import paramiko

from .base import FileState


class SftpFile:
    """A file read over SFTP."""

    def __init__(self, file: paramiko.SFTPFile) -> None:
        self._file = file
        self._size = file.stat().st_size or 0
        file.prefetch(self._size)

    def read(self, count: int = -1, /) -> bytes:
        """Return the next bytes."""
        return self._file.read(None if count < 0 else count)

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        with suppress(OSError, EOFError, paramiko.SSHException):
            self._file.close()

    def now(self) -> FileState:
        """Return the present state of the file."""
        info = self._file.stat()
        return FileState(info.st_size or 0, (info.st_mtime or 0) * 1_000_000_000, 0)

    def again(self) -> bool:
        """Start reading from the beginning; return whether that is possible."""
        return False


class SentFile:
    """A file that a program on the host sends."""

    def __init__(self, channel: paramiko.Channel, stream: Any, state: FileState) -> None:
        self._channel, self._stream, self._state = channel, stream, state

    def read(self, count: int = -1, /) -> bytes:
        """Return the next bytes."""
        data: bytes = self._stream.read(count if count >= 0 else None)
        return data

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._channel.close()

    def now(self) -> FileState:
        """Return the present state of the file."""
        return self._state

    def again(self) -> bool:
        """Start reading from the beginning; return whether that is possible."""
        return False
