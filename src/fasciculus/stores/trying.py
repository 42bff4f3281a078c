"""Trying a store step by step before it is trusted."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from datetime import UTC, datetime
from functools import partial

from ..core.bundle.layout import STORE_FILE
from ..core.errors import (
    ConnectionLostError,
    DamagedError,
    FasciculusError,
    MissingError,
    NotListedError,
    SettingError,
)
from ..core.formatting import format_duration, format_list, format_size
from ..core.steps import Step
from .base import ConnectStep, Store, VersionedStore
from .identity import read_identity
from .reading import read_all

#: Larger than one packet of any protocol.
_PAYLOAD_BYTES = 100_000
_STRETCH = (40_001, 20_000)
#: By how much the clock of a store may differ before it is said, in seconds.
_CLOCK_SECONDS = 60


def try_store(store: Store, store_id: str | None = None, make_root: bool = False) -> list[Step]:
    """Return all steps that a bundle's way to a store has; stops at the first that fails.

    ``store_id`` is whose store it must be, where that is known. With ``make_root`` its folder is
    created if missing.
    """
    steps: list[Step] = []
    probe = _Probe(store)
    for stage in _stages(store, probe, store_id, make_root):
        began = time.monotonic()
        try:
            text = stage.run()
        except NotListedError as error:
            took = time.monotonic() - began
            steps.append(Step(stage.name, True, error.message, error.hint, took))
            continue
        except FasciculusError as error:
            took = time.monotonic() - began
            # A line that broke would only be waited for again.
            left = "" if isinstance(error, ConnectionLostError) else probe.clean_up()
            hint = " ".join(filter(None, (error.hint, left)))
            steps.append(Step(stage.name, False, error.message, hint, took, error.field or ""))
            store.close()
            break
        steps.append(Step(stage.name, True, text, "", time.monotonic() - began))
    return steps


def _stages(
    store: Store, probe: _Probe, store_id: str | None, make_root: bool
) -> Iterator[ConnectStep]:
    for stage in store.connecting():
        if stage.name == "folder" and make_root:
            yield ConnectStep("folder", partial(_there_or_made, store, stage.run))
        else:
            yield stage
    yield from probe.stages()
    if isinstance(store, VersionedStore):
        yield ConnectStep("old versions", store.describe_versions)
    yield ConnectStep("free space", lambda: _free(store))
    yield ConnectStep("store", lambda: _identity(store, store_id))


def _there_or_made(store: Store, find: Callable[[], str]) -> str:
    try:
        return find()
    except MissingError:
        store.make_root()
        return f"It was made. {find()}"


#: How the folders of trials begin.
TRIAL = "fasciculus-try-"


class _Probe:
    """A file in its own folder, for testing every operation of a run."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._folder = f"{TRIAL}{datetime.now(UTC):%Y%m%dT%H%M%S%f}"
        self._path = f"{self._folder}/probe"
        self._renamed = f"{self._path}-renamed"
        self._payload = os.urandom(_PAYLOAD_BYTES)
        self._begun = False

    def stages(self) -> Iterator[ConnectStep]:
        self._begun = True
        if self._store.spec.append_only:
            yield from self._append_only_stages()
            return
        yield ConnectStep("write", self._write)
        yield ConnectStep("replace", self._replace)
        yield ConnectStep("read back", self._read)
        yield ConnectStep("range read", self._read_range)
        yield ConnectStep("clock", self._clock)
        yield ConnectStep("rename", self._rename)
        yield ConnectStep("list", self._list)
        yield ConnectStep("unfinished", self._unfinished)
        yield ConnectStep("remove", self._remove)

    def _append_only_stages(self) -> Iterator[ConnectStep]:
        """Yield the same for a store that must refuse to replace and to remove."""
        self._renamed = self._path
        yield ConnectStep("write", self._write_whole)
        yield ConnectStep("read back", self._read)
        yield ConnectStep("range read", self._read_range)
        yield ConnectStep("clock", self._clock)
        yield ConnectStep("replace refused", self._replace_refused)
        yield ConnectStep("remove refused", self._remove_refused)

    def _write_whole(self) -> str:
        self._store.put_bytes(self._payload, self._path)
        return "A folder can be made, and a file written in it. The file stays there."

    def _replace_refused(self) -> str:
        """Prove that a file cannot be replaced, or that what it was before is kept."""
        with suppress(FasciculusError):
            self._store.put_bytes(b"another", self._path)
        if read_all(self._store, self._path) == self._payload:
            return "A file cannot be replaced."
        if self._keeps_replaced():
            return "A file can be replaced; what was there stays as an old version."
        raise self._not_append_only("replace")

    def _remove_refused(self) -> str:
        """Prove the same for removing."""
        with suppress(FasciculusError):
            self._store.remove(self._path)
        if self._store.size(self._path) is not None:
            return "A file cannot be removed."
        if self._keeps_replaced() and self._store.spec.settings.lock_mode():
            return "A file can be hidden; what was there stays as an old version, and is locked."
        raise self._not_append_only("remove")

    def _keeps_replaced(self) -> bool:
        return isinstance(self._store, VersionedStore) and self._store.keeps_replaced()

    def _not_append_only(self, what: str) -> SettingError:
        return SettingError(
            f"These credentials can {what} files there: the store is not append-only.",
            "Use credentials that can only add files, or do not declare it append-only.",
            field="append_only",
        )

    def clean_up(self) -> str:
        """Remove what a step that failed has left; say what of it is there still."""
        if not self._begun:
            return ""
        names = [f"{path}{end}" for path in (self._path, self._renamed) for end in ("", ".part")]
        for name in names:
            with suppress(FasciculusError, OSError):
                self._store.remove(name)
        with suppress(FasciculusError, OSError):
            self._store.remove_folder(self._folder)
        left = [name for name in names if self._is_there(name)]
        return f"Remove what the trial left there: {format_list(left)}." if left else ""

    def _is_there(self, name: str) -> bool:
        try:
            return self._store.size(name) is not None
        except (FasciculusError, OSError):
            return False

    def _write(self) -> str:
        self._store.put_bytes(b"the first one", self._path)
        return "A folder can be made, and a file written in it."

    def _replace(self) -> str:
        self._store.put_bytes(self._payload, self._path)
        return "A file can be replaced."

    def _list(self) -> str:
        names = [item.name for item in self._store.items(self._folder)]
        if names != [self._renamed.rpartition("/")[2]]:
            raise DamagedError(
                f"The folder is listed as holding {format_list(names) or 'nothing'}, which is not "
                "what was put there.",
                "Give this user the right to list folders, or check the server.",
            )
        return "Listed a folder."

    def _unfinished(self) -> str:
        self._store.clear_partial(self._folder)
        return "Unfinished uploads can be found and removed."

    def _read(self) -> str:
        if read_all(self._store, self._path) != self._payload:
            raise DamagedError(
                "The file read back differs from what was written.",
                "Check that machine's disk and memory, or take another place.",
            )
        return "It reads back the same."

    def _read_range(self) -> str:
        offset, length = _STRETCH
        with self._store.open(self._path, offset, length) as stream:
            if stream.read() != self._payload[offset : offset + length]:
                raise DamagedError(
                    "Reading a part of the file returned something else.",
                    "The server answers requests for a part wrongly; single files could not be "
                    "restored from it.",
                )
        return "A part can be read without the rest."

    def _clock(self) -> str:
        found = self._store.modified(self._path)
        if found is None:
            return "The server does not tell its time."
        ahead = (found - datetime.now(UTC)).total_seconds()
        if abs(ahead) < _CLOCK_SECONDS:
            return "Its clock agrees with this machine's."
        way = "ahead of" if ahead > 0 else "behind"
        return f"Its clock is {format_duration(abs(ahead))} {way} this machine's; correct one."

    def _rename(self) -> str:
        self._store.rename(self._path, self._renamed)
        if self._store.size(self._renamed) != _PAYLOAD_BYTES:
            raise DamagedError("A file that was renamed is not there.", "Check the server.")
        return "It can be renamed."

    def _remove(self) -> str:
        self._store.remove(self._renamed)
        if self._store.size(self._renamed) is not None:
            raise DamagedError(
                "A file that was removed is still there.",
                "Give this user the right to remove files, or the store will fill up.",
            )
        self._store.remove_folder(self._folder)
        return "It can be removed."


def _free(store: Store) -> str:
    free = store.free()
    return "The server does not tell." if free is None else f"{format_size(free)} are free."


def _identity(store: Store, store_id: str | None) -> str:
    if store.size(STORE_FILE) is None:
        return "The folder is free to use."
    found = read_identity(store)
    if store_id and found != store_id:
        raise DamagedError(
            f"The folder belongs to another store (id {found}).",
            "Name another folder, or remove its fasciculus-store.json if it is yours to use.",
        )
    return f"The folder holds the store {found}."
