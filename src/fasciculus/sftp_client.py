"""An SFTP session whose requests may go out together, so that small files take few round trips.

SSH File Transfer Protocol, version 3 (draft-ietf-secsh-filexfer-02): a server answers each request
by its number, and those of one file handle in the order in which they came.
"""

from __future__ import annotations

import errno
import struct
from collections import deque
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from typing import TYPE_CHECKING, Any

import paramiko
from paramiko.message import Message
from paramiko.sftp import (
    CMD_ATTRS,
    CMD_CLOSE,
    CMD_DATA,
    CMD_EXTENDED,
    CMD_EXTENDED_REPLY,
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
#: What goes into one packet of SSH (RFC 4254, section 5.2).
_SSH_PACKET = 32 * 1024
#: The bytes that a request may write on any server, with what is around them, and those that one
#: may where the server takes more.
LEAST_WRITE = 32 * 1024 - 256
_MOST_WRITE = 255 * 1024
_ANEW = SFTP_FLAG_CREATE | SFTP_FLAG_TRUNC
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

    Requests that a server refuses raise ``OSError``, a lost connection ``EOFError`` or
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
        """Write a small file, replacing any there; return its size on the server."""
        handle = self._open(path, SFTP_FLAG_WRITE | _ANEW)
        written, state, closed = self._together(
            (CMD_WRITE, handle, int64(0), data), (CMD_FSTAT, handle), (CMD_CLOSE, handle)
        )
        for answer in (written, closed):
            self._answered(CMD_STATUS, answer)
        return self._attributes(state).st_size

    @cached_property
    def longest_write(self) -> int:
        """Return how many bytes one request may write: by ``limits@openssh.com`` (OpenSSH PROTOCOL,
        section 4.8), or what any server takes.
        """
        try:
            limits = self._extended("limits@openssh.com")
        except OSError:
            return LEAST_WRITE
        _, _, told = limits.get_int64(), limits.get_int64(), limits.get_int64()
        return max(LEAST_WRITE, min(told, _MOST_WRITE))

    def free_bytes(self, path: str) -> int:
        """Return the free bytes of the file system that has a path: by ``statvfs@openssh.com``
        (OpenSSH PROTOCOL, section 4.4), which not every server has.
        """
        state = self._extended("statvfs@openssh.com", path)
        _, unit, _, _, free = (state.get_int64() for _ in range(5))
        return unit * free

    @contextmanager
    def writing(self, path: str, at: int) -> Iterator[SftpWriting]:
        """Open a file to write on from an offset, at 0 a new one; all has arrived at the end."""
        handle = self._open(path, SFTP_FLAG_WRITE | (0 if at else _ANEW))
        try:
            sink = SftpWriting(self, handle, at)
            yield sink
            sink.end_stretch(ahead=0)
        except Exception:
            self.let_go(handle)
            raise
        self._request(CMD_CLOSE, handle)

    def let_go(self, handle: bytes) -> None:
        """Close a handle that was read from, together with the next request."""
        self._owed += self._packet(_NOBODY, CMD_CLOSE, handle)[1]

    def _write_all(self, data: bytes) -> None:
        owed, self._owed = self._owed, b""
        left = memoryview(owed + data if owed else data)
        while left:
            # What goes into one packet of SSH, so that nothing is copied twice.
            sent = self.sock.send(left[:_SSH_PACKET].tobytes())
            if sent <= 0:
                raise EOFError
            left = left[sent:]

    def _open(self, path: str, flags: int) -> bytes:
        answer = self._request(CMD_OPEN, path, flags, paramiko.SFTPAttributes())
        return _expected(CMD_HANDLE, answer).get_binary()

    def _extended(self, name: str, *values: str) -> Message:
        return _expected(CMD_EXTENDED_REPLY, self._request(CMD_EXTENDED, name, *values))

    def _together(self, *requests: tuple[Any, ...]) -> list[_Answer]:
        """Send requests at once; return their answers, in the order of the requests."""
        answers = _Answers()
        packets = dict(self._packet(answers, *request) for request in requests)
        self._write_all(b"".join(packets.values()))
        return self._collected(answers, packets)

    def _collected(self, answers: _Answers, numbers: Collection[int]) -> list[_Answer]:
        """Wait for the answers to some requests, and return them."""
        strange, found = 0, answers.found
        for number in numbers:
            while number not in found:
                before = len(found)
                self._read_response()
                strange += len(found) == before
                if strange > _MOST_STRANGE:
                    raise OSError(errno.EPROTO, "the server answers what was not asked")
        return [found.pop(number) for number in numbers]

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
            raise OSError(errno.EPROTO, "the server reports an impossible size")
        return found

    if TYPE_CHECKING:
        sock: Any
        _lock: Any
        _expecting: dict[int, Any]
        request_number: int

        def _request(self, kind: Any, *arg: Any) -> Any: ...
        def _read_response(self) -> Any: ...
        def _convert_status(self, answer: Message) -> None: ...


class SftpWriting:
    """A file that is written from an offset on, in stretches of which several may be under way. All
    answers are waited for: a refusal in the middle would leave a hole in a file of the right size.
    """

    def __init__(self, client: SftpClient, handle: bytes, at: int) -> None:
        self._client, self._handle, self._at = client, handle, at
        self._answers, self._arrived = _Answers(), at
        #: The numbers of the requests of the stretch that is being sent.
        self._numbers: list[int] = []
        #: Those of the stretches before that are under way, and where each ends.
        self._under_way: deque[tuple[list[int], int]] = deque()

    def write(self, data: bytes) -> None:
        """Send the next bytes, :attr:`SftpClient.longest_write` at most."""
        client = self._client
        number, packet = client._packet(
            self._answers, CMD_WRITE, self._handle, int64(self._at), data
        )
        client._write_all(packet)
        self._numbers.append(number)
        self._at += len(data)

    def end_stretch(self, ahead: int) -> int:
        """End a stretch, and wait until ``ahead`` of them are under way; return up to where the
        server has all bytes. Raises ``OSError`` for what it refused.
        """
        self._under_way.append((self._numbers, self._at))
        self._numbers = []
        while len(self._under_way) > ahead:
            numbers, end = self._under_way.popleft()
            for answer in self._client._collected(self._answers, numbers):
                self._client._answered(CMD_STATUS, answer)
            self._arrived = end
        return self._arrived


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
