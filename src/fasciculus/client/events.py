"""Server-Sent Events, read line by line."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True, slots=True)
class LiveEvent:
    """One event: its resume id, its kind (``run``, ``task``, ``log`` …) and its data."""

    id: str
    kind: str
    data: dict[str, Any]


def parse(lines: Iterable[str]) -> Iterator[LiveEvent]:
    """Yield the events of a stream (HTML standard, section 9.2.6)."""
    fields: dict[str, str] = {}
    for line in lines:
        if line:
            name, _, value = line.partition(":")
            if name:
                fields[name] = value.removeprefix(" ")
            continue
        if "data" in fields:
            yield LiveEvent(
                fields.get("id", ""), fields.get("event", "message"), json.loads(fields["data"])
            )
        fields = {}
