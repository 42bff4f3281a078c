"""From the sources of a backup to pieces and a listing."""

from __future__ import annotations

from contextlib import ExitStack
from datetime import datetime
from pathlib import Path

from msgspec.structs import replace

from ...core.bundle.codecs import codec
from ...core.bundle.listing import ListingWriter
from ...core.bundle.manifest import (
    ContentsCount,
    ExcludedCount,
    Manifest,
    PieceRecord,
    SubjectRecord,
)
from ...core.bundle.writer import BundleWriter
from ...core.formatting import format_count, format_size
from .context import BackupContext
from .sources.files import FileSource
from .stores import BackupStores
from .upload import Spool

_RULES_SAID = 20


def _nothing(kind: str, digest: str, size: int) -> None:
    """Tell full bundles, which contain all their data, from incremental ones."""


class Packing:
    """Gathers everything that an order asks for, and packs it while the stores take it."""

    def __init__(self, task: BackupContext, stores: BackupStores) -> None:
        self._task, self._stores = task, stores
        self._writer: BundleWriter | None = None

    def run(self, started: datetime) -> Manifest:
        """Pack all contents, and return the manifest."""
        order = self._task.order
        room = Spool(
            self._task.spool,
            order.spool_limit,
            self._task.piece_size,
            self._stores.uploaders,
            self._task.stop,
        )
        self._task.half_made = True
        # After the commands that go before the task, which may change files. It is a fork: before
        # more threads begin.
        if not self._task.full:
            self._task.before.look_ahead()
        for uploader in self._stores.uploaders:
            uploader.start()
        partial = Path(order.listing).with_suffix(".part")
        partial.parent.mkdir(parents=True, exist_ok=True)
        with ExitStack() as stack:
            raw = stack.enter_context(partial.open("wb"))
            previous = None if self._task.full else stack.enter_context(self._task.before.listing())
            noting = self._task.before.noting(stack)
            states = None if self._task.full else self._task.before.states(stack)
            listing = ListingWriter(raw, noting, self._task.before.beginning())
            self._writer = writer = BundleWriter(
                self._task.bundle,
                codec(order.compression, order.level),
                room,
                listing,
                piece_size=self._task.piece_size,
                threads=order.threads,
                on_packed=self._task.packed,
                known=previous.holding if previous else _nothing,
                sealer=self._task.sealer,
            )
            file_source = FileSource(
                order,
                self._task.host,
                self._writer,
                self._task.emitter.warn,
                self._task.seen,
                previous,
                states,
                listing,
            )
            self._take(writer, file_source)
            self._report_excluded(file_source.result.excluded)
            self._task.stage("packing")
            pieces = self._all_pieces(writer)
            digest = listing.close()
            if noting is not None:
                noting.close(digest, listing.length)
        self._writer = None
        counts = {kind: writer.counts.get(kind, ContentsCount()) for kind in order.contents}
        for kind, lines in file_source.result.unreadable.items():
            counts.setdefault(kind, ContentsCount()).unreadable = lines
        manifest = self._manifest(started, counts)
        manifest.databases = file_source.result.databases
        manifest.pieces = pieces
        manifest.listing_bytes, manifest.listing_sha256 = listing.bytes, digest
        manifest.left_out = file_source.result.excluded
        return manifest

    def _take(self, writer: BundleWriter, file_source: FileSource) -> None:
        """Everything that the order asks for, kind after kind."""
        order, warn = self._task.order, self._task.emitter.warn
        if "files" in order.contents:
            self._task.stage("files")
            file_source.files()
        if "databases" in order.contents and (order.databases or order.all_databases):
            from .sources.databases import DatabaseSource

            self._task.stage("databases")
            DatabaseSource(order, self._task.host, writer, file_source, warn, self._task.seen).run()
        if "mail" in order.contents and order.mail and order.mail.domains:
            from .sources.mail import MailSource

            self._task.stage("mail")
            MailSource(
                order.mail, self._task.host, writer, file_source, warn, self._task.seen
            ).run()
        if {"system", "notes"} & set(order.contents):
            self._settings(file_source)

    def _manifest(self, started: datetime, counts: dict[str, ContentsCount]) -> Manifest:
        """Return what is known of the bundle before its pieces."""
        order = self._task.order
        began = started.isoformat(timespec="seconds")
        builds_on = None if self._task.full else order.previous
        return Manifest(
            name=self._task.bundle,
            subject_kind=self._task.subject.kind,
            subject=self._task.subject.name,
            job=order.job,
            run=str(order.run),
            host=order.subject.host,
            started=began,
            writer=order.writer,
            brings="full" if self._task.full else "incremental",
            base=began if builds_on is None else builds_on.base,
            compression=order.compression,
            contents=counts,
            warnings=self._task.emitter.warnings,
            origin=SubjectRecord(
                order.subject.root,
                order.subject.account,
                order.subject.site_roots,
                order.mail.domains if order.mail else [],
            ),
        )

    def _settings(self, file_source: FileSource) -> None:
        # Imported late, like that of mail: a start costs time, and most nights are short.
        from .sources.system import SystemSource

        assert self._writer is not None
        settings = SystemSource(
            self._task.order,
            self._task.host,
            self._writer,
            file_source,
            self._task.emitter.warn,
            self._task.seen,
        )
        for kind, gather in (("system", settings.system), ("notes", settings.notes)):
            if kind in self._task.order.contents:
                self._task.stage(kind)
                gather()

    def _all_pieces(self, writer: BundleWriter) -> list[PieceRecord]:
        """Return the pieces that the bundle needs: those of earlier bundles first, then its own."""
        own = writer.finish()
        for piece in own:
            piece.holds = piece.used = writer.used[piece.name]
        brought = {piece.name for piece in own}
        before = [
            replace(piece, brought=False, used=writer.used[piece.name])
            for piece in (
                self._task.order.previous.pieces if self._task.order.previous is not None else []
            )
            if writer.used[piece.name] and piece.name not in brought
        ]
        return before + own

    def _report_excluded(self, excluded: dict[str, ExcludedCount]) -> None:
        for rule, count in sorted(excluded.items(), key=lambda row: -row[1].bytes)[:_RULES_SAID]:
            self._task.emitter.info(
                f"left out by {rule}: {format_count(count.entries, 'entry', 'entries')}"
                + (f", {format_size(count.bytes)}" if count.bytes else "")
            )

    def abandon(self) -> None:
        """Give up what was begun."""
        if self._writer is not None:
            self._writer.abandon()
