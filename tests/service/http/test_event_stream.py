"""Live views: resuming, resetting, and never blocking others."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from typing import Any

from fasciculus.client.events import parse
from fasciculus.service.event_stream import EventStream


def events(stream: Iterator[Any], count: int) -> list[Any]:
    """So many events of a stream, as the client reads them."""

    def lines() -> Iterator[Any]:
        for chunk in stream:
            yield from chunk.decode().split("\n")[:-1]

    found = []
    for event in parse(lines()):
        found.append(event)
        if len(found) == count:
            break
    stream.close()  # type: ignore[attr-defined]
    return found


def test_a_view_goes_on_where_it_left_off() -> None:
    stream = EventStream()
    first = stream.stream("")
    hello = events(first, 1)[0]
    for number in range(3):
        stream.tell("task", {"n": number}, run=number)
    again = events(stream.stream(hello.id), 4)
    assert [e.kind for e in again] == ["hello", "task", "task", "task"]
    assert [e.data["n"] for e in again[1:]] == [0, 1, 2]
    later = events(stream.stream(again[2].id), 2)
    assert later[1].data == {"n": 2}
    only = events(stream.stream(hello.id, run=1), 2)
    assert only[1].data == {"n": 1}, "a view of one run gets only its events"


def test_an_id_of_another_life_or_too_long_ago_means_anew() -> None:
    stream = EventStream()
    old = events(stream.stream(""), 1)[0].id
    for number in range(2100):
        stream.tell("log", {"n": number})
    for last in (old, "ffff-3", "nonsense", "-", f"{old.partition('-')[0]}-x"):
        assert events(stream.stream(last), 1)[0].kind == "reset"


def test_a_run_s_view_ends_with_the_run() -> None:
    stream, over = EventStream(), threading.Event()
    view = stream.stream("", run=1, over=over.is_set)
    assert b"retry" in next(view) and b"hello" in next(view)
    over.set()
    stream.tell("run", {"state": "ended"}, run=1)
    rest = b"".join(view).decode()
    assert "event: run" in rest and rest.rstrip().endswith("data: {}") and "event: end" in rest


def test_more_views_than_may_stay_open_come_back_instead() -> None:
    stream = EventStream()
    staying = [stream.stream("") for _ in range(24)]
    for view in staying:
        next(view)
    stream.tell("log", {"n": 1})
    further = b"".join(stream.stream(""))
    assert b"hello" in further and b"retry: 3000" in further, "it got what there was, and ended"
    for view in staying:
        view.close()  # type: ignore[attr-defined]
    view = stream.stream("")
    next(view)
    stream.tell("log", {"n": 2})
    seen = b""
    while b'"n": 2' not in seen:
        seen += next(view)
    stream.close()
    assert b"event: end" not in b"".join(view), "a service that stops is not the end of the run"
