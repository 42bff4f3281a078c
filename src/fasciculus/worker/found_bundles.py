"""Complete bundles on a store that the records may not know."""

from __future__ import annotations

import hashlib

from ..contracts.events import BundleFound
from ..core.bundle.layout import MANIFEST, check_name, moment_of
from ..core.bundle.manifest import MOST_BYTES, parse_manifest
from ..core.bundle.seal.authentication import Origin, origin_of
from ..core.errors import DamagedError, FasciculusError
from ..core.subject import Subject
from ..stores.base import Store
from ..stores.reading import read_all


def found_bundle(store: Store, subject: Subject, name: str, key: bytes) -> BundleFound:
    """Return what a bundle's own manifest says of it; ``key`` is that of authentication tags.

    Raises ``FasciculusError`` for a manifest that cannot be read, or is of another bundle.
    """
    data = read_all(store, f"{subject.bundle(name)}/{MANIFEST}", MOST_BYTES)
    manifest = parse_manifest(data)
    named = (manifest.name, manifest.subject_kind, manifest.subject)
    if named != (name, subject.kind, subject.name) or moment_of(name) is None:
        raise DamagedError(f"its manifest is that of {manifest.name}")
    return BundleFound(
        store=store.spec.name,
        subject_kind=subject.kind,
        subject=subject.name,
        name=name,
        job=_known_name(manifest.job),
        host=_known_name(manifest.host),
        entries=manifest.entries,
        bytes=manifest.bytes,
        packed=manifest.packed,
        vouched=origin_of(data, key) is Origin.OURS,
        origin=manifest.origin,
        manifest=manifest.summary(hashlib.sha256(data).hexdigest()),
    )


def _known_name(text: str) -> str:
    """Return a name out of a manifest, where it can be one."""
    try:
        return check_name(text)
    except FasciculusError:
        return "unknown"
