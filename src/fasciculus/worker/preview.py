"""Says what of a subject's files would go into a bundle."""

from __future__ import annotations

import gc
import os
import time
from collections.abc import Iterator
from pathlib import Path

import orjson
import zstandard

from ..contracts.events import Progress
from ..contracts.orders import PreviewOrder
from ..contracts.results import ExcludedSize, FolderSize, MeasuredSize, PreviewResult
from ..core.bundle.listing import read_lines
from ..core.bundle.tree.tree_walk import shown
from ..core.errors import DamagedError, MissingError
from ..core.file_filters import CACHE_TAG, FileSelector
from ..core.preview import PreviewCounter, PreviewCounts
from ..hosts.base import HostConnection, TreeName
from .backup.excluded_paths import excluded_paths
from .emitter import Emitter

_EVERY = 20_000
_SAMPLES = 48
_APART = 97
_SAMPLE = 64 * 1024
_USUAL_RATIO = 0.6
_WARNINGS = 50


class PreviewTask:
    """Carries out one :class:`PreviewOrder`."""

    def __init__(self, order: PreviewOrder, host: HostConnection, emitter: Emitter) -> None:
        self._order, self._host, self._emitter = order, host, emitter
        self._root = os.fsencode(order.subject.root)
        self._samples: list[bytes] = []

    def run(self) -> PreviewResult:
        """Run it, and return the result."""
        order = self._order
        # Nothing here makes cycles, and the process ends with its answer.
        gc.disable()
        self._host.connect()
        if self._host.type_of(order.subject.root) != "dir":
            raise MissingError(
                f"The folder {order.subject.root} does not exist.",
                f"Correct the {order.subject.kind}.",
            )
        chooser = None if order.rules.everything else FileSelector(order.rules, time.time_ns())
        before = (
            self._listed(Path(order.listing))
            if order.listing and os.path.exists(order.listing)
            else None
        )
        surveyor = PreviewCounter(
            chooser, excluded_paths(order, self._root, self._host.is_local), before
        )
        take = surveyor.take
        for number, seen in enumerate(self._names(chooser), 1):
            take(*seen)
            if number % _EVERY == 0:
                inside = surveyor.survey.inside
                self._emitter.emit(Progress("files", inside.entries, inside.bytes))
            if number % _APART == 1 and seen.is_file and len(self._samples) < _SAMPLES:
                self._samples.append(seen.path)
        survey = surveyor.finish()
        ratio = order.ratio or self._sampled_ratio()
        return _result(survey, ratio, before is not None, self._emitter.warnings)

    def _names(self, chooser: FileSelector | None) -> Iterator[TreeName]:
        """Return the survey's names; the chooser hears of marks as they come."""
        subject = self._order.subject
        found = self._host.survey(subject.root, self._emitter.warn, subject.home)
        if chooser is None or not chooser.looks_into_folders:
            return found
        return self._entering(found, chooser)

    def _entering(self, found: Iterator[TreeName], chooser: FileSelector) -> Iterator[TreeName]:
        self._enter(chooser, b"")
        for seen in found:
            yield seen
            if seen.is_dir:
                self._enter(chooser, seen.path)

    def _enter(self, chooser: FileSelector, folder: bytes) -> None:
        base = self._root + b"/" + folder if folder else self._root
        tag = self._head(base + b"/" + CACHE_TAG) if chooser.rules.skip_tagged_caches else None
        ignore = chooser.rules.ignore_file
        text = self._head(base + b"/" + os.fsencode(ignore)) if ignore else None
        chooser.enter(folder, tag, text.decode("utf-8", "surrogateescape") if text else None)

    def _head(self, path: bytes) -> bytes | None:
        try:
            file = self._host.open(path)
        except OSError:
            return None
        try:
            return file.read(_SAMPLE)
        except OSError:
            return None
        finally:
            file.close()

    def _listed(self, listing: Path) -> Iterator[tuple[bytes, int, int]]:
        """Yield the files of a listing, by what tells whether they changed."""
        try:
            with listing.open("rb") as raw:
                for line in read_lines(raw):
                    row = orjson.loads(line)
                    if row["kind"] == "files" and row["type"] == "file" and "path" in row:
                        yield row["path"].encode(), row["size"], row["mtime_ns"]
        except DamagedError as error:
            self._emitter.warn(f"{error} From there on, everything counts as new.")

    def _sampled_ratio(self) -> float:
        """Return how much smaller a sample of the files packs."""
        if not self._host.is_local or not self._samples:
            return _USUAL_RATIO
        writer = zstandard.ZstdCompressor(level=1)
        whole = packed = 0
        for path in self._samples:
            data = self._head(self._root + b"/" + path) or b""
            whole += len(data)
            packed += len(writer.compress(data)) if data else 0
        return packed / whole if whole else _USUAL_RATIO


def _result(
    found: PreviewCounts, ratio: float, compared: bool, warnings: list[str]
) -> PreviewResult:
    excluded = sorted(found.saved.items(), key=lambda row: -row[1].bytes)
    return PreviewResult(
        outcome="done",
        size=MeasuredSize(found.inside.entries, found.inside.bytes),
        packed=round(found.inside.bytes * min(ratio, 1.0)),
        new=MeasuredSize(found.new.entries, found.new.bytes) if compared else None,
        excluded=[ExcludedSize(rule, size.entries, size.bytes) for rule, size in excluded],
        folders=[
            FolderSize(shown(folder), size.entries, size.bytes) for folder, size in found.folders
        ],
        warnings=warnings[:_WARNINGS],
    )
