"""A store that loses its connection now and then, and the one that tries again."""

from __future__ import annotations

import io
import threading
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from fasciculus.core.errors import (
    ConnectionLostError,
    MissingError,
    SettingError,
    StoreFullError,
    TransferFailedError,
)
from fasciculus.core.transfer_limits import parse_limit
from fasciculus.stores import retrying as module
from fasciculus.stores import store_spec
from fasciculus.stores.retry_after import retry_after
from fasciculus.stores.retrying import RetryingStore
from fasciculus.stores.throttle import Throttle

DATA = bytes(range(256)) * 40


class Flaky:
    """A store of one file; ``lost`` connections are cut, each at a call or in a stream."""

    digests_itself, proves_transfer, wait = True, False, 0.0

    def __init__(self) -> None:
        self.spec = store_spec("attic", {"kind": "folder", "folder": "/attic"})
        self.calls, self.lost, self.error, self.breaks = [], 0, None, []
        self.connected = self.closed = 0
        self.streams, self.reached = [], []

    def connect(self) -> None:
        self.connected += 1

    def arrived(self, path: str) -> int:
        return self.reached.pop(0) if self.reached else 0

    def close(self) -> None:
        self.closed += 1

    def _call(self, *words: Any) -> tuple[Any, ...]:
        self.calls.append(words)
        if self.error is not None:
            raise self.error
        if self.lost:
            self.lost -= 1
            raise ConnectionLostError("The connection was cut.").after(self.wait)
        return words

    def open(self, path: str, offset: int = 0, length: int | None = None) -> Stream:
        self._call("open", path, offset, length)
        end = None if length is None else offset + length
        self.streams.append(Stream(self, DATA[offset:end]))
        return self.streams[-1]

    def __getattr__(self, name: str) -> Callable[..., Any]:
        return lambda *values: self._call(name, *values)


class Stream(io.BytesIO):
    """Fails after a number of bytes, by the store's list of breaks."""

    def __init__(self, store: Flaky, data: bytes) -> None:
        super().__init__(data)
        self._left = store.breaks.pop(0) if store.breaks else None

    def read(self, count: int = -1) -> bytes:  # type: ignore[override]
        if self._left is None:
            return super().read(count)
        if not self._left:
            raise ConnectionLostError("The connection was cut.")
        data = super().read(min(count, self._left))
        self._left -= len(data)
        return data


@pytest.fixture
def waits(monkeypatch: pytest.MonkeyPatch) -> list[Any]:
    """The requested pauses, without waiting."""
    found = []
    monkeypatch.setattr(threading.Event, "wait", lambda self, seconds: found.append(seconds))
    return found


@pytest.fixture
def flaky() -> Flaky:
    return Flaky()


@pytest.fixture
def told() -> list[Any]:
    return []


@pytest.fixture
def store(flaky: Flaky, told: list[Any], waits: list[Any]) -> RetryingStore:
    return RetryingStore(flaky, threading.Event(), told.append)


CALLS = [
    ("items", ("folder",)),
    ("put_bytes", (b"x", "path")),
    ("remove", ("path",)),
    ("remove_folder", ("folder",)),
    ("size", ("path",)),
    ("sha256", ("path",)),
    ("free", ()),
    ("replaces_at_once", ()),
    ("rename", ("path", "other")),
    ("modified", ("path",)),
    ("clear_partial", ("folder",)),
]


@pytest.mark.parametrize(("name", "values"), CALLS, ids=[name for name, _ in CALLS])
def test_each_action_is_tried_again_and_answers_as_the_store_does(
    flaky: Flaky, store: RetryingStore, told: list[Any], name: str, values: tuple[Any, ...]
) -> None:
    flaky.lost = 2
    found = getattr(store, name)(*values)
    # Before a rename is retried, its result is checked: that fails too.
    again = [("size", "path"), ("size", "path")] if name == "rename" else [(name, *values)]
    assert flaky.calls == [(name, *values), *again, (name, *values)]
    if not name.startswith(("put", "re", "clear")) or name == "replaces_at_once":
        assert found == (name, *values)
    assert told == ["Store “attic”: The connection was cut. Trying again."] * 2
    assert store.connections == 2 and flaky.connected == 3


def test_after_four_times_it_is_given_up(
    flaky: Flaky, store: RetryingStore, told: list[Any], waits: list[Any]
) -> None:
    flaky.lost = 9
    with pytest.raises(ConnectionLostError):
        store.size("path")
    assert len(flaky.calls) == module._ATTEMPTS == 4 and len(told) == 3
    assert waits == [0.5, 2.0, 8.0], "each time longer"


@pytest.mark.parametrize("error", [MissingError("gone"), StoreFullError("full"), OSError(5, "x")])
def test_other_errors_are_final(
    flaky: Flaky, store: RetryingStore, told: list[Any], error: Any
) -> None:
    flaky.error = error
    with pytest.raises(type(error)):
        store.put_bytes(b"x", "path")
    assert len(flaky.calls) == 1 and told == []


def test_who_was_told_to_stop_does_not_try_again(
    flaky: Flaky, told: list[Any], waits: list[Any]
) -> None:
    stop = threading.Event()
    stop.set()
    flaky.lost = 1
    with pytest.raises(ConnectionLostError):
        RetryingStore(flaky, stop, told.append).size("path")
    assert len(flaky.calls) == 1 and waits == []


@pytest.mark.parametrize(("offset", "length"), [(0, None), (100, None), (100, 5000), (0, 0)])
@pytest.mark.parametrize("breaks", [[], [0], [1], [700, 700], [0, 10, 20]])
def test_a_stream_goes_on_where_it_broke_off(
    flaky: Flaky, store: RetryingStore, offset: int, length: int | None, breaks: list[Any]
) -> None:
    flaky.breaks = list(breaks)
    end = None if length is None else offset + length
    with store.open("path", offset, length) as stream:
        read = b""
        while chunk := stream.read(300):
            assert len(chunk) <= 300
            read += chunk
    assert read == DATA[offset:end]
    assert all(row[1] == "path" for row in flaky.calls)


def test_all_of_a_stream_at_once(flaky: Flaky, store: RetryingStore) -> None:
    flaky.breaks = [500]
    assert store.open("path", 7).read() == DATA[7:]
    starts = [(offset, length) for _, _, offset, length in flaky.calls]
    assert starts == [(7, None), (507, None)], "only what is lacking is asked for again"


def test_what_is_left_to_read_is_asked_for_and_no_more(flaky: Flaky, store: RetryingStore) -> None:
    flaky.breaks = [100]
    assert store.open("path", 10, 150).read() == DATA[10:160]
    assert [row[2:] for row in flaky.calls] == [(10, 150), (110, 50)]


def test_a_connection_that_another_stream_lost_is_not_used_again(
    flaky: Flaky, store: RetryingStore
) -> None:
    one, other = store.open("path"), store.open("path", 50)
    assert one.read(10) == DATA[:10]
    flaky.lost = 1
    assert store.size("path")
    assert one.read(10) == DATA[10:20] and other.read(10) == DATA[50:60]
    assert [row for row in flaky.calls if row[0] == "open"][2:] == [
        ("open", "path", 10, None),
        ("open", "path", 50, None),
    ]
    assert flaky.streams[0].closed and flaky.streams[1].closed
    one.close()
    assert flaky.streams[2].closed
    one.close()


def test_opening_says_at_once_that_there_is_none(flaky: Flaky, store: RetryingStore) -> None:
    flaky.error = MissingError("gone")  # type: ignore[assignment]
    with pytest.raises(MissingError):
        store.open("path")


def test_it_is_the_store_that_it_wraps(flaky: Flaky, store: RetryingStore) -> None:
    assert store.spec is flaky.spec and store.digests_itself
    store.connect()
    store.close()
    assert flaky.connected == flaky.closed == 1
    assert store.connecting() == ("connecting",), "who tries a store sees the first trouble"
    store.make_root()
    assert flaky.calls[-1] == ("make_root",) and store.arrived("path") == 0


def test_what_gets_further_each_time_is_not_given_up(
    flaky: Flaky, store: RetryingStore, told: list[Any], tmp_path: Path
) -> None:
    piece = tmp_path / "piece"
    piece.touch()
    flaky.lost, flaky.reached = 9, [n // 2 for n in range(2, 40)]
    counted = []
    store.put(piece, "path", counted.append)
    assert [call[0] for call in flaky.calls] == ["put", *["size"] * 9, "put"] and len(told) == 9
    _, local, path, on_bytes = flaky.calls[-1]
    on_bytes(70)
    assert (local, path, counted, store.sent) == (piece, "path", [70], 70)


def test_what_gets_no_further_is_given_up(
    flaky: Flaky, store: RetryingStore, told: list[Any]
) -> None:
    flaky.lost, flaky.reached = 99, [7] * 99
    with pytest.raises(ConnectionLostError):
        store.put("local", "path", print)
    assert len(flaky.calls) == 1 + module._ATTEMPTS - 1


class Broken(Flaky):
    """A store whose server says of each ``put`` that it failed, until it has all ``tries``."""

    def __init__(self, tries: int, step: int) -> None:
        super().__init__()
        self.tries, self.step, self.has = tries, step, 0

    def arrived(self, path: str) -> int:
        return self.has

    def put(self, *values: Any) -> None:
        self.has += self.step
        self.tries -= 1
        if self.tries:
            raise TransferFailedError("It said: 426 Transfer aborted.")

    def free(self) -> Any:
        return None

    def size(self, path: str) -> Any:
        return None


def test_a_server_that_breaks_off_again_and_again_but_gets_further_is_not_full(
    told: list[Any], waits: list[Any], tmp_path: Path
) -> None:
    piece = tmp_path / "piece"
    piece.touch()
    RetryingStore(Broken(9, 5), threading.Event(), told.append).put(piece, "path", print)
    assert len(told) == 8
    broken = Broken(9, 0)
    with pytest.raises(StoreFullError, match="It said so 2 times"):
        RetryingStore(broken, threading.Event(), told.append).put(piece, "path", print)
    assert broken.tries == 7


def limited(*texts: Any, hour: int = 12) -> Any:
    spent, waited = [0.0], []
    stop = threading.Event()

    def wait(seconds: Any) -> None:
        waited.append(seconds)
        spent[0] += seconds

    stop.wait = wait  # type: ignore[assignment]
    limits = [parse_limit(text) for text in texts]
    now = datetime(2026, 11, 26, hour)
    return Throttle(limits, stop, lambda: spent[0], lambda: now), waited


def test_a_throttle_makes_it_wait_as_long_as_its_limit_says() -> None:
    throttle, waited = limited("1 MiB/s 08:00-18:00", "4 MiB/s")
    for _ in range(8):
        throttle.spend(512 * 1024)
    assert sum(waited) == pytest.approx(4.0) and max(waited) <= 1
    throttle, waited = limited("1 MiB/s 08:00-18:00", "4 MiB/s", hour=22)
    throttle.spend(8 * 1024 * 1024)
    assert sum(waited) == pytest.approx(2.0)
    throttle, waited = limited("1 MiB/s 22:00-06:00")
    throttle.spend(8 * 1024 * 1024)
    assert waited == []


@pytest.mark.parametrize("text", ["fast", "0 MiB/s", "1 MiB/s 25:00-26:00", "10 Mbit/s", "1 B/s"])
def test_a_limit_that_is_none_is_refused_with_an_example(text: str) -> None:
    with pytest.raises(SettingError) as error:
        parse_limit(text)
    assert "2 MiB/s 08:00-18:00" in error.value.hint


@pytest.mark.parametrize(
    ("header", "seconds"),
    [
        ("7", 7),
        ("0", 0),
        ("100000", 300),
        ("9" * 5000, 300),
        ("Sun, 29 Nov 2026 12:00:20 GMT", 20),
        ("Sun, 29 Nov 2026 11:00:00 GMT", 0),
        ("soon", 0),
        ("-7", 0),
        ("٣", 0),
        (None, 0),
    ],
)
def test_a_server_is_left_alone_for_as_long_as_it_asks(
    flaky: Flaky, store: RetryingStore, waits: list[Any], header: str | None, seconds: int
) -> None:
    asked = retry_after(header, datetime(2026, 11, 29, 12, tzinfo=UTC))
    assert asked == seconds
    flaky.lost, flaky.wait = 1, asked
    store.size("path")
    assert waits == [max(0.5, asked)]
