"""Requests of SFTP that go out together, and servers that answer them in other ways."""

from __future__ import annotations

import struct
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from paramiko import SFTPAttributes, sftp
from paramiko.message import Message

from fasciculus import sftp_client
from fasciculus.sftp_client import SftpClient

CONTENT = b"two hundred pots"
Answer = tuple[int, bytes]


def body(*values: int | bytes) -> bytes:
    message = Message()
    for value in values:
        message.add_int(value) if isinstance(value, int) else message.add_string(value)
    return message.asbytes()


def status(code: int) -> Answer:
    return sftp.CMD_STATUS, body(code, b"so it is", b"en")


def sized(size: int) -> Answer:
    message = Message()
    message.add_int(SFTPAttributes.FLAG_SIZE)
    message.add_int64(size)
    return sftp.CMD_ATTRS, message.asbytes()


HONEST: dict[int, Answer] = {
    sftp.CMD_OPEN: (sftp.CMD_HANDLE, body(b"handle")),
    sftp.CMD_FSTAT: sized(len(CONTENT)),
    sftp.CMD_STAT: sized(len(CONTENT)),
    sftp.CMD_READ: (sftp.CMD_DATA, body(CONTENT)),
    sftp.CMD_WRITE: status(sftp.SFTP_OK),
    sftp.CMD_CLOSE: status(sftp.SFTP_OK),
}


class Server:
    """The other end of a session, which answers each kind of request in one way."""

    def __init__(self, answers: dict[int, Answer], late: bool = False) -> None:
        self._answers, self._late = HONEST | answers, late
        #: The requests of each time that something was sent.
        self.asked: list[list[int]] = []
        self.heard = b""
        self._back = b""

    def send(self, data: bytes) -> int:
        self.heard += data
        answers, kinds = [], []
        for kind, number in requests_in(data):
            kinds.append(kind)
            if kind == sftp.CMD_INIT:
                answers.append(packet(sftp.CMD_VERSION, b"\0\0\0\3"))
                continue
            way, text = self._answers[kind]
            answers.append(packet(way, number + text))
        self.asked.append(kinds)
        self._back += b"".join(reversed(answers) if self._late else answers)
        return len(data)

    def get_name(self) -> str:
        return "server"

    def recv(self, count: int) -> bytes:
        data, self._back = self._back[:count], self._back[count:]
        return data


def requests_in(data: bytes) -> Iterator[tuple[int, bytes]]:
    while data:
        size, kind = struct.unpack(">IB", data[:5])
        yield kind, data[5:9]
        data = data[4 + size :]


def packet(kind: int, data: bytes) -> bytes:
    return struct.pack(">IB", len(data) + 1, kind) + data


def session(server: Server) -> SftpClient:
    client = SftpClient(server)
    server.asked.clear()
    return client


@pytest.mark.parametrize("late", [False, True])
def test_a_small_file_takes_two_round_trips(late: bool) -> None:
    server = Server({}, late)
    client = session(server)
    assert client.write_whole("/a", CONTENT) == len(CONTENT)
    assert server.asked == [[sftp.CMD_OPEN], [sftp.CMD_WRITE, sftp.CMD_FSTAT, sftp.CMD_CLOSE]]
    flags = sftp.SFTP_FLAG_WRITE | sftp.SFTP_FLAG_CREATE | sftp.SFTP_FLAG_TRUNC
    assert body(b"/a", flags) in server.heard
    server.asked.clear()
    handle, size, data = client.read_first("/a", 0, 100)
    assert (size, data) == (len(CONTENT), CONTENT)
    client.let_go(handle)
    assert client.sizes(["/a", "/b"]) == [len(CONTENT)] * 2
    assert server.asked == [
        [sftp.CMD_OPEN],
        [sftp.CMD_FSTAT, sftp.CMD_READ],
        [sftp.CMD_CLOSE, sftp.CMD_STAT, sftp.CMD_STAT],
    ]


def test_what_is_not_there_has_no_size() -> None:
    client = session(Server({sftp.CMD_STAT: status(sftp.SFTP_NO_SUCH_FILE)}))
    assert client.sizes(["/a"]) == [None]


def write(client: SftpClient) -> Any:
    return client.write_whole("/a", CONTENT)


def read(client: SftpClient) -> Any:
    return client.read_first("/a", 0, 5)


@pytest.mark.parametrize(
    ("act", "kind", "answer"),
    [
        (write, sftp.CMD_WRITE, status(sftp.SFTP_FAILURE)),
        (write, sftp.CMD_WRITE, sized(5)),
        (write, sftp.CMD_CLOSE, status(sftp.SFTP_FAILURE)),
        (write, sftp.CMD_OPEN, status(sftp.SFTP_OK)),
        (write, sftp.CMD_OPEN, (sftp.CMD_NAME, body(1))),
        (write, sftp.CMD_FSTAT, sized(2**63)),
        (read, sftp.CMD_FSTAT, sized(2**64 - 1)),
        (read, sftp.CMD_READ, status(sftp.SFTP_FAILURE)),
        (read, sftp.CMD_READ, (sftp.CMD_HANDLE, body(b"h"))),
        (read, sftp.CMD_OPEN, status(sftp.SFTP_NO_SUCH_FILE)),
    ],
)
def test_what_a_server_refuses_or_answers_amiss_is_an_error(
    act: Callable[[SftpClient], Any], kind: int, answer: Answer
) -> None:
    with pytest.raises(OSError):
        act(session(Server({kind: answer})))


def limits(*values: int) -> Answer:
    message = Message()
    for value in values:
        message.add_int64(value)
    return sftp.CMD_EXTENDED_REPLY, message.asbytes()


@pytest.mark.parametrize(
    ("answer", "longest"),
    [
        (status(sftp.SFTP_OP_UNSUPPORTED), sftp_client.LEAST_WRITE),
        (status(sftp.SFTP_OK), sftp_client.LEAST_WRITE),
        (limits(0, 0, 0, 0), sftp_client.LEAST_WRITE),
        (limits(9, 9, 100_000, 9), 100_000),
        (limits(9, 9, 2**64 - 1, 9), 255 * 1024),
    ],
)
def test_a_request_is_as_long_as_the_server_takes(answer: Answer, longest: int) -> None:
    assert session(Server({sftp.CMD_EXTENDED: answer})).longest_write == longest


def test_two_stretches_of_a_large_file_are_under_way() -> None:
    client = session(server := Server({}))
    with client.writing("/a", 100) as sink:
        arrived = []
        for ahead in (0, 1, 1, 1):
            sink.write(CONTENT)
            sink.write(CONTENT)
            arrived.append(sink.end_stretch(ahead))
        assert arrived == [132, 132, 164, 196]
    places = [body(b"handle") + struct.pack(">Q", at) for at in range(100, 100 + 8 * 16, 16)]
    assert all(server.heard.count(place + body(CONTENT)) == 1 for place in places)
    assert body(b"/a", sftp.SFTP_FLAG_WRITE) in server.heard, "what is there stays"
    assert server.asked == [[sftp.CMD_OPEN], *[[sftp.CMD_WRITE]] * 8, [sftp.CMD_CLOSE]]


def test_a_refusal_in_the_middle_of_a_large_file_is_an_error() -> None:
    client = session(server := Server({}))
    with pytest.raises(OSError), client.writing("/a", 0) as sink:
        server._answers[sftp.CMD_WRITE] = status(sftp.SFTP_FAILURE)
        sink.write(CONTENT)
        server._answers[sftp.CMD_WRITE] = status(sftp.SFTP_OK)
        sink.write(CONTENT)
    server.asked.clear()
    client.sizes(["/a"])
    assert server.asked == [[sftp.CMD_CLOSE, sftp.CMD_STAT]]


def test_no_more_is_taken_than_was_asked_for() -> None:
    client = session(Server({}))
    assert client.read_first("/a", 0, 5)[2] == CONTENT[:5]
    assert session(Server({sftp.CMD_READ: status(sftp.SFTP_EOF)})).read_first("/a", 99, 5)[2] == b""


def test_answers_that_nobody_waits_for_end(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sftp_client, "_MOST_STRANGE", 50)

    class Chatty(Server):
        def recv(self, count: int) -> bytes:
            if not self._back:
                self._back = packet(
                    sftp.CMD_STATUS, struct.pack(">I", 999) + status(sftp.SFTP_OK)[1]
                )
            return super().recv(count)

    server = Chatty({})
    client = session(server)
    server._answers[sftp.CMD_READDIR] = status(sftp.SFTP_EOF)
    server.send = lambda data: len(data)
    with pytest.raises(OSError, match="not asked"):
        client.sizes(["/a"])
