"""Messages between the service and workers on other machines, as MessagePack.

A worker asks and the service answers, always: the service needs no way to a worker but the broker,
which carries orders alone.
"""

from __future__ import annotations

from typing import Annotated

import msgspec
from msgspec import Meta, Struct

#: Bytes of a file in one message.
MOST_DATA = 4 * 1024 * 1024
_Text = Annotated[str, Meta(max_length=200)]
_Lease = Annotated[str, Meta(pattern=r"^[0-9a-f]{32}$")]
_Reference = Annotated[str, Meta(max_length=4096)]
_Offset = Annotated[int, Meta(ge=0, le=2**62)]


class Hello(Struct, frozen=True, tag="hello"):
    """A worker is there: its version, its machine, how many tasks it takes at the same time, and
    the leases under which it works.
    """

    version: _Text
    place: _Text
    slots: Annotated[int, Meta(ge=1, le=256)]
    leases: list[_Lease] = []


class Begin(Struct, frozen=True, tag="begin"):
    """A worker has an order and asks whether to begin. ``attempt`` is random: asking again with the
    same one, after a lost answer, is no second attempt.
    """

    lease: _Lease
    attempt: _Lease


class Report(Struct, frozen=True, tag="report"):
    """Events of a task, as their lines; ``first`` is the number of the first one, from 0. Without
    events it says that the worker is at work.
    """

    lease: _Lease
    first: _Offset
    events: list[bytes] = []


class ListFiles(Struct, frozen=True, tag="list"):
    """What files of the service does the order name that exist?"""

    lease: _Lease


class ReadFile(Struct, frozen=True, tag="read"):
    """Some bytes of a file."""

    lease: _Lease
    reference: _Reference
    offset: _Offset


class WriteFile(Struct, frozen=True, tag="write"):
    """Some bytes of a file that the task leaves."""

    lease: _Lease
    reference: _Reference
    offset: _Offset
    data: Annotated[bytes, Meta(max_length=MOST_DATA)]
    is_last: bool


class End(Struct, frozen=True, tag="end"):
    """The task has ended, and all its events and files are with the service. ``ended`` says how, if
    it has no result.
    """

    lease: _Lease
    ended: _Text = ""


class Enrol(Struct, frozen=True, tag="enrol"):
    """A new worker: its name, and the public key that secrets are sealed to."""

    name: Annotated[str, Meta(pattern=r"^[a-z0-9][a-z0-9.-]{0,62}$")]
    recipient: Annotated[str, Meta(pattern=r"^age1[0-9a-z]{58}$")]
    version: _Text


Request = Hello | Begin | Report | ListFiles | ReadFile | WriteFile | End | Enrol


class Welcome(Struct, frozen=True, tag="welcome"):
    """The service knows the worker; ``drains`` says that it gets no more orders."""

    drains: bool


class Proceed(Struct, frozen=True, tag="proceed"):
    """The worker may go on; ``is_cancelled`` says that the task is to be cancelled. After so many
    ``seconds`` of silence the service takes the task for ended; 0 where that was said before.
    """

    is_cancelled: bool = False
    seconds: float = 0.0


class ServiceFile(Struct, frozen=True):
    """A file of the service by its reference, with its size in bytes."""

    reference: str
    size: int


class ServiceFiles(Struct, frozen=True, tag="files"):
    """The files of an order that exist."""

    files: list[ServiceFile]


class Data(Struct, frozen=True, tag="data"):
    """Some bytes of a file; none at its end."""

    data: bytes


class Enrolled(Struct, frozen=True, tag="enrolled"):
    """A worker is enrolled: its id, the key of its messages, its queue, and the broker."""

    worker: str
    key: bytes
    queue: str
    broker: str


class Gone(Struct, frozen=True, tag="gone"):
    """The lease has ended: nothing may be done under it any more."""


class Refused(Struct, frozen=True, tag="refused"):
    """The service refuses, and why, in a sentence."""

    reason: str


Answer = Welcome | Proceed | ServiceFiles | Data | Enrolled | Gone | Refused


class Dispatch(Struct, frozen=True):
    """An order on its way by the broker: its lease, and its line."""

    lease: _Lease
    line: bytes


encode = msgspec.msgpack.Encoder().encode
decode_request = msgspec.msgpack.Decoder(Request).decode
decode_answer = msgspec.msgpack.Decoder(Answer).decode
decode_dispatch = msgspec.msgpack.Decoder(Dispatch).decode
