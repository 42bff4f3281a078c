"""Turns a bundle to another listing, which says where its bytes are now."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Callable
from pathlib import Path

from msgspec.structs import replace

from ...bundles.retiring import settle
from ...contracts.events import CopyRepacked
from ...core.bundle.layout import MANIFEST, next_listing
from ...core.bundle.listing import ListingWriter, read_lines
from ...core.bundle.manifest import Manifest, StoredFile
from ...core.bundle.seal.sealing import Sealer
from ...core.subject import Subject
from ...stores.base import Store
from ..emitter import Emitter
from ..sealing import public


def rewrite(listing: Path, local: Path, change: Callable[[bytes], bytes]) -> None:
    """Write a listing again, each line as ``change`` gives it."""
    with listing.open("rb") as raw, local.open("wb") as sink:
        writer = ListingWriter(sink)
        for line in read_lines(raw):
            writer.add_line(change(line) + b"\n")
        writer.close()


def switch_listing(
    store: Store,
    subject: Subject,
    manifest: Manifest,
    local: Path,
    listings: Path,
    sealer: Sealer | None,
    key: bytes,
    emitter: Emitter,
) -> Manifest:
    """Put a listing under a new name, then the ``bundle.json`` that names it; the old one goes.

    ``manifest`` has the new pieces already; ``local`` is the new listing, which is used up. A copy
    of both is left in ``listings`` for the service, which is notified.
    """
    whole = StoredFile(local.stat().st_size, _sha256(local))
    turned = replace(
        manifest,
        listing=next_listing(manifest.listing),
        listing_bytes=whole.bytes,
        listing_sha256=whole.sha256,
        sealed_to=[],
        sealed_listing=None,
    )
    kept = listings / f"{manifest.name}.zst"
    kept.parent.mkdir(parents=True, exist_ok=True)
    shutil.copyfile(local, kept)
    if sealer is not None:
        sealed = local.with_suffix(".age")
        turned.sealed_listing = StoredFile(*sealer.seal(local, sealed))
        turned.sealed_to, turned.listing = sealer.recipients, f"{turned.listing}.age"
        sealed.rename(local)
    bundle_json = public(turned).to_json(key)
    kept.with_suffix(".json").write_bytes(bundle_json)
    folder = subject.bundle(manifest.name)
    store.put(local, f"{folder}/{turned.listing}", lambda count: None)
    local.unlink(missing_ok=True)
    # From here on the new listing counts; the old one stays until the sums name it no more.
    store.put_bytes(bundle_json, f"{folder}/{MANIFEST}")
    settle(store, subject, turned)
    digest = hashlib.sha256(bundle_json).hexdigest()
    emitter.emit(CopyRepacked(manifest.name, turned.summary(digest)))
    return turned


def _sha256(path: Path) -> str:
    with path.open("rb") as raw:
        return hashlib.file_digest(raw, "sha256").hexdigest()
