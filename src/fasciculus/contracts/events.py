"""Events of a worker while it executes an order: one JSON object per line."""

from __future__ import annotations

from typing import Literal

import msgspec
from msgspec import Struct, field

from ..core.bundle.manifest import ManifestSummary, SubjectRecord
from ..core.subject import SubjectKind
from .results import AnyResult

Level = Literal["info", "warning", "error"]


class Log(Struct, tag_field="event", tag="log"):
    """A line of the task's log."""

    level: Level
    text: str


class Progress(Struct, tag_field="event", tag="progress"):
    """The progress of the task.

    Bytes are of contents, ``packed`` and ``pushed`` of pieces; ``total`` is what is expected, 0
    when that is not known.
    """

    stage: str
    entries: int = 0
    bytes: int = 0
    packed: int = 0
    pushed: int = 0
    total: int = 0


class CopyResult(Struct, tag_field="event", tag="copy"):
    """A store has its copy, or ``error`` says why not; ``kept`` copies of the job are there now."""

    store: str
    error: str = ""
    kept: int = 0
    #: Until when nobody can remove the copy, as ISO 8601; empty for no lock.
    locked_until: str = ""


class CopyRetired(Struct, tag_field="event", tag="copy-retired"):
    """A copy was removed because no keep rule wanted it."""

    store: str
    bundle: str


class DamageFound(Struct, tag_field="event", tag="damage-found"):
    """A file of the store is missing or altered: its path below the subject, and what that harms.

    ``files`` are the first of the entries that cannot be restored whole, ``harmed`` counts them
    all.
    """

    file: str
    reason: str
    bundles: list[str] = field(default_factory=list)
    files: list[str] = field(default_factory=list)
    harmed: int = 0


class DamageMet(Struct, tag_field="event", tag="damage-met"):
    """A copy that was read from a store lacks something, or is not what was stored. The copies to
    verify; ``bundle`` is empty if any of the subject may be damaged.
    """

    store: str
    bundle: str = ""


class DamageCleared(Struct, tag_field="event", tag="damage-cleared"):
    """A file that was damaged is intact; ``source`` is the store that it was repaired from."""

    file: str
    source: str = ""


class CopyVerified(Struct, tag_field="event", tag="copy-verified"):
    """A bundle's copy was verified, quickly or by reading every byte."""

    bundle: str
    deep: bool
    intact: bool


class CopyRepacked(Struct, tag_field="event", tag="copy-repacked"):
    """A copy's bytes are in other pieces now, as its new manifest says."""

    bundle: str
    manifest: ManifestSummary


class CopyMade(Struct, tag_field="event", tag="copy-made"):
    """A bundle was brought from another store, for which so many bytes were sent."""

    bundle: str
    source: str
    bytes: int
    manifest: ManifestSummary


class BundleFound(Struct, tag_field="event", tag="bundle-found", kw_only=True):
    """A bundle that a store holds; ``vouched`` when its tag says that this service made it."""

    store: str
    subject_kind: SubjectKind
    subject: str
    name: str
    job: str
    host: str
    entries: int
    bytes: int
    packed: int
    vouched: bool
    origin: SubjectRecord
    manifest: ManifestSummary


class RecordsCopyFound(Struct, tag_field="event", tag="records-copy-found"):
    """The newest copy of the records that a store has is where the order wanted it."""

    name: str


class StoreSeen(Struct, tag_field="event", tag="store-seen"):
    """The traffic of a task to and from a store, and the free space there, if known."""

    store: str
    sent: int
    received: int
    free: int | None = None


class Finished(Struct, tag_field="event", tag="finished"):
    """The last event: what the order came to."""

    result: AnyResult


Event = (
    Log
    | Progress
    | CopyResult
    | CopyRetired
    | DamageFound
    | DamageMet
    | DamageCleared
    | CopyVerified
    | CopyRepacked
    | CopyMade
    | BundleFound
    | RecordsCopyFound
    | StoreSeen
    | Finished
)

_encoder = msgspec.json.Encoder()
_decoder = msgspec.json.Decoder(Event)


def to_line(event: Event) -> bytes:
    """Return an event as one line of JSON."""
    return _encoder.encode(event) + b"\n"


def from_line(line: bytes) -> Event:
    """Return the event of a line. Raises ``ValueError`` (``msgspec.ValidationError``) for anything
    else.
    """
    event: Event = _decoder.decode(line)
    return event
