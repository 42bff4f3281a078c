"""An SFTP session whose requests may go out together, so that small files take few round trips.

SSH File Transfer Protocol, version 3 (draft-ietf-secsh-filexfer-02): a server answers each request
by its number, and those of one file handle in the order in which they came.
"""

from __future__ import annotations

import errno
import struct
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import paramiko
from paramiko.message import Message
from paramiko.sftp import (
    CMD_ATTRS,
    CMD_CLOSE,
    CMD_DATA,
    CMD_FSTAT,
    CMD_HANDLE,
    CMD_NAME,
    CMD_OPEN,
    CMD_OPENDIR,
    CMD_READ,
    CMD_READDIR,
    CMD_READLINK,
    CMD_STAT,
    CMD_STATUS,
    CMD_WRITE,
    SFTP_FLAG_CREATE,
    SFTP_FLAG_READ,
    SFTP_FLAG_TRUNC,
    SFTP_FLAG_WRITE,
    int64,
)

#: Names in one folder, and answers that list them.
_MOST_NAMES = 1_000_000
#: Requests that go out together, and the answers that may come before theirs.
_TOGETHER = 64
_MOST_STRANGE = 10_000
_LARGEST = 2**63
#: By this, an answer that comes later is ignored.
_NOBODY = type(None)

_Answer = tuple[int, Message]


class _Answers:
    """The answers to requests that went out together, by their numbers."""

    def __init__(self) -> None:
        self.found: dict[int, _Answer] = {}

    def _async_response(self, kind: int, answer: Message, number: int) -> None:
        self.found[number] = (kind, answer)


class SftpClient(paramiko.SFTPClient):
    """An SFTP session that also knows names which are not UTF-8.

    What a server refuses is raised as ``OSError``, a connection that ends as ``EOFError`` or
    ``SSHException``.
    """

    #: Requests to go out with the next one.
    _owed = b""

    def listed(self, folder: bytes) -> list[tuple[bytes, paramiko.SFTPAttributes]]:
        """Return the names in a folder with their attributes, sorted (SSH_FXP_READDIR)."""
        handle = _expected(CMD_HANDLE, self._request(CMD_OPENDIR, folder)).get_binary()
        rows: dict[bytes, paramiko.SFTPAttributes] = {}
        answers, ended = 0, False
        try:
            while not ended:
                # The second of them mostly says that there are no more.
                for answer in self._together((CMD_READDIR, handle), (CMD_READDIR, handle)):
                    try:
                        names = self._answered(CMD_NAME, answer)
                    except EOFError:
                        ended = True
                        continue
                    answers += 1
                    _take_names(names, rows)
                if len(rows) > _MOST_NAMES or answers > _MOST_NAMES:
                    raise OSError(errno.EMFILE, "the server lists names without an end")
        finally:
            self.let_go(handle)
        return sorted(rows.items())

    def target_of(self, path: bytes) -> bytes:
        """Return where a symbolic link leads."""
        _, answer = self._request(CMD_READLINK, path)
        return answer.get_string() if answer.get_int() == 1 else b""

    def sizes(self, paths: Sequence[str]) -> list[int | None]:
        """Return the sizes of files in bytes, None for those that do not exist."""
        found: list[int | None] = []
        for begin in range(0, len(paths), _TOGETHER):
            wanted = [(CMD_STAT, path) for path in paths[begin : begin + _TOGETHER]]
            for answer in self._together(*wanted):
                try:
                    found.append(self._attributes(answer).st_size)
                except FileNotFoundError:
                    found.append(None)
        return found

    def read_first(self, path: str, offset: int, count: int) -> tuple[bytes, int, bytes]:
        """Open a file to read; return its handle, its size in bytes, and up to ``count`` bytes from
        an offset on.
        """
        handle = self._open(path, SFTP_FLAG_READ)
        try:
            state, content = self._together(
                (CMD_FSTAT, handle), (CMD_READ, handle, int64(offset), count)
            )
            size = self._attributes(state).st_size or 0
            return handle, size, self._bytes(content)[:count]
        except OSError:
            self.let_go(handle)
            raise

    def write_whole(self, path: str, data: bytes) -> int | None:
        """Write a small file anew; return the size that it has on the server afterwards."""
        handle = self._open(path, SFTP_FLAG_WRITE | SFTP_FLAG_CREATE | SFTP_FLAG_TRUNC)
        written, state, closed = self._together(
            (CMD_WRITE, handle, int64(0), data), (CMD_FSTAT, handle), (CMD_CLOSE, handle)
        )
        for answer in (written, closed):
            self._answered(CMD_STATUS, answer)
        return self._attributes(state).st_size

    def let_go(self, handle: bytes) -> None:
        """Close a handle that was read from, together with the next request."""
        self._owed += self._packet(_NOBODY, CMD_CLOSE, handle)[1]

    def _write_all(self, data: bytes) -> None:
        owed, self._owed = self._owed, b""
        writing: Any = super()
        writing._write_all(owed + data)

    def _open(self, path: str, flags: int) -> bytes:
        answer = self._request(CMD_OPEN, path, flags, paramiko.SFTPAttributes())
        return _expected(CMD_HANDLE, answer).get_binary()

    def _together(self, *requests: tuple[Any, ...]) -> list[_Answer]:
        """Send requests at once; return their answers, in the order of the requests."""
        answers = _Answers()
        packets = dict(self._packet(answers, *request) for request in requests)
        self._write_all(b"".join(packets.values()))
        for _ in range(_MOST_STRANGE):
            if len(answers.found) == len(packets):
                return [answers.found[number] for number in packets]
            self._read_response()
        raise OSError(errno.EPROTO, "the server answers what was not asked")

    def _packet(self, asking: object, kind: int, *values: int | bytes | str) -> tuple[int, bytes]:
        """Return a request's number and its bytes; ``asking`` is given the answer."""
        with self._lock:
            number = self.request_number
            self.request_number += 1
            self._expecting[number] = asking
        message = Message()
        message.add_int(number)
        for value in values:
            _add(message, value)
        body = message.asbytes()
        return number, struct.pack(">IB", len(body) + 1, kind) + body

    def _answered(self, kind: int, answer: _Answer) -> Message:
        """Return an answer of a kind; what the server refused is raised."""
        if answer[0] == CMD_STATUS:
            self._convert_status(answer[1])
        return _expected(kind, answer)

    def _bytes(self, answer: _Answer) -> bytes:
        """Return what was read; nothing at the end of the file."""
        try:
            return self._answered(CMD_DATA, answer).get_binary()
        except EOFError:
            return b""

    def _attributes(self, answer: _Answer) -> paramiko.SFTPAttributes:
        reading: Any = paramiko.SFTPAttributes
        found: paramiko.SFTPAttributes = reading._from_msg(self._answered(CMD_ATTRS, answer))
        if not 0 <= (found.st_size or 0) < _LARGEST:
            raise OSError(errno.EPROTO, "the server gives a size that no file has")
        return found

    if TYPE_CHECKING:
        _lock: Any
        _expecting: dict[int, Any]
        request_number: int

        def _request(self, kind: Any, *arg: Any) -> Any: ...
        def _read_response(self) -> Any: ...
        def _convert_status(self, answer: Message) -> None: ...


def _add(message: Message, value: int | bytes | str) -> None:
    if isinstance(value, int64):
        message.add_int64(value)
    elif isinstance(value, int):
        message.add_int(value)
    else:
        message.add_string(value)


def _expected(kind: int, answer: _Answer) -> Message:
    if answer[0] != kind:
        raise OSError(errno.EPROTO, "the server answers what was not asked")
    return answer[1]


def _take_names(answer: Message, rows: dict[bytes, paramiko.SFTPAttributes]) -> None:
    """Add the names of one answer to those of its folder."""
    reading: Any = paramiko.SFTPAttributes
    for _ in range(min(answer.get_int(), _MOST_NAMES)):
        name, _ = answer.get_string(), answer.get_string()
        attributes = reading._from_msg(answer)
        # Whatever a server says: a name is one name of that folder, and a size is one.
        if _is_name(name) and 0 <= (attributes.st_size or 0) < _LARGEST:
            rows[name] = attributes


def _is_name(name: bytes) -> bool:
    return name not in (b"", b".", b"..") and b"/" not in name and b"\0" not in name
