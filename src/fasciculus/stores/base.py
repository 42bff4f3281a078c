"""What every kind of store can do."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from types import TracebackType
from typing import Any, BinaryIO, Protocol

from ..core.bundle.layout import STORE_FILE
from ..core.errors import (
    DamagedError,
    FasciculusError,
    MissingError,
    TooNewError,
)
from ..core.steps import Step

STORE_FORMAT = "fasciculus-store"
STORE_VERSION = 1


@dataclass(frozen=True, slots=True)
class StoreSpec:
    """How to reach a store. ``secrets`` never go into messages or logs."""

    name: str
    kind: str
    settings: dict[str, Any]
    secrets: dict[str, str] = field(default_factory=dict, repr=False)


@dataclass(frozen=True, slots=True)
class StoreItem:
    """A name in a store's folder; ``size`` is in bytes, 0 for folders."""

    name: str
    size: int
    folder: bool


class Store(Protocol):
    """A place for bundles. Paths are relative to its root, with slashes.

    Failures are :class:`~fasciculus.core.errors.FasciculusError` of one sentence:
    ``UnreachableError`` and ``StoreFullError`` for the store itself, ``MissingError`` for a file.
    A store is used by one thread at a time.
    """

    spec: StoreSpec
    #: Whether :meth:`sha256` is worked out on another machine, so that asking moves no bytes of the
    #: file.
    digests_itself: bool

    def connect(self) -> None:
        """Reach the store and its root folder; harmless when done already."""

    def close(self) -> None: ...

    def items(self, folder: str) -> list[StoreItem]:
        """What is in a folder, sorted by name; nothing when the folder is absent."""

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """A stream of a file's bytes."""

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        """Store a local file under a name, whole or not at all; folders are made."""

    def put_bytes(self, data: bytes, path: str) -> None:
        """The same for a few bytes."""

    def remove(self, path: str) -> None:
        """Remove a file; harmless when it is gone already."""

    def remove_folder(self, folder: str) -> None:
        """Remove an empty folder; harmless when it is gone already."""

    def size(self, path: str) -> int | None:
        """A file's size in bytes, or None when there is no such file."""

    def sha256(self, path: str) -> str | None:
        """A file's SHA-256 as the store itself computes it, or None where it cannot."""

    def free(self) -> int | None:
        """Free bytes, or None where the store does not tell."""

    def replaces_at_once(self) -> bool:
        """Whether a file that is put in the place of another is there at any moment, the old or the
        new.
        """

    def steps(self) -> list[Step]:
        """Connect, saying how each step goes; stops at the first that fails."""


class Connected:
    """``with Connected(store):`` connects, and closes afterwards."""

    def __init__(self, store: Store) -> None:
        self._store = store

    def __enter__(self) -> Store:
        self._store.connect()
        return self._store

    def __exit__(
        self,
        kind: type[BaseException] | None,
        value: BaseException | None,
        trace: TracebackType | None,
    ) -> None:
        self._store.close()


def read_all(store: Store, path: str) -> bytes:
    """The whole of a small file."""
    with store.open(path) as stream:
        return stream.read()


def mark(store: Store, store_id: str) -> None:
    """Write the file by which a store explains itself, unless it is there."""
    if store.size(STORE_FILE) is None:
        document = {
            "format": STORE_FORMAT,
            "version": STORE_VERSION,
            "id": store_id,
            "since": datetime.now(UTC).isoformat(timespec="seconds"),
            "about": "Bundles of Fasciculus. accounts/, sites/ and hosts/ hold one folder per "
            "subject; a bundle is complete when its bundle.json is there.",
        }
        store.put_bytes((json.dumps(document, indent=1) + "\n").encode(), STORE_FILE)


def read_mark(store: Store) -> str:
    """The store's id.

    Raises :class:`MissingError` where the folder is not a store, which is what an
    unmounted disk looks like, and :class:`TooNewError` for a later format.
    """
    if store.size(STORE_FILE) is None:
        raise MissingError(
            f"The folder of store “{store.spec.name}” holds no {STORE_FILE}.",
            "Is the right disk mounted, the right folder named? "
            "If the folder was emptied on purpose, save the store again.",
        )
    try:
        document = json.loads(read_all(store, STORE_FILE))
        if document["format"] != STORE_FORMAT:
            raise KeyError("format")
        if document["version"] > STORE_VERSION:
            raise TooNewError(
                f"Store “{store.spec.name}” is in version {document['version']} of its format.",
                "Use a newer Fasciculus.",
            )
        return str(document["id"])
    except FasciculusError:
        raise
    except (ValueError, KeyError, TypeError) as error:
        raise DamagedError(
            f"{STORE_FILE} of store “{store.spec.name}” cannot be read.",
            "Put it right by hand, or save the store again.",
        ) from error


def try_out(store: Store, store_id: str | None = None) -> list[Step]:
    """Prove that a store works: connect, then write, read back and remove a file."""
    steps = store.steps()
    if not all(step.ok for step in steps):
        return steps
    probe = f".fasciculus-try-{datetime.now(UTC):%Y%m%dT%H%M%S%f}"
    payload = b"Fasciculus tries whether this folder can be written.\n"
    try:
        store.put_bytes(payload, probe)
        steps.append(Step("write", True, "A file can be written."))
        if read_all(store, probe) != payload:
            raise DamagedError("The file read back differs from what was written.")
        steps.append(Step("read", True, "It reads back the same."))
        store.remove(probe)
        steps.append(Step("remove", True, "It can be removed."))
        found = None
        if store.size(STORE_FILE) is not None:
            found = read_mark(store)
        if found and store_id and found != store_id:
            raise DamagedError(
                f"The folder belongs to another store (id {found}).",
                "Name another folder, or remove its fasciculus-store.json if it is yours to use.",
            )
        steps.append(
            Step(
                "mark",
                True,
                f"The folder holds the store {found}." if found else "The folder is free to use.",
            )
        )
    except FasciculusError as error:
        names = ("write", "read", "remove", "mark")
        done = {step.name for step in steps}
        steps.append(
            Step(next(n for n in names if n not in done), False, error.message, error.way_out)
        )
    return steps
