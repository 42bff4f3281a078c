"""The previous bundle that the next one builds on."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

from ....contracts.orders import PreviousOrder
from ....core.bundle.manifest import ManifestSummary
from ....core.subject import Subject, SubjectKind
from ....models import JobInput
from ....records.bundles import bundles
from ....records.runs import maintenance
from .artifacts import kept
from .connections import OrderInputs

#: Compare contents every N bundles if only size and time are known.
_BY_SFTP = 7
#: What clocks may differ by.
_CLOCK = timedelta(days=1)


def previous_order(
    sources: OrderInputs, job: JobInput, kind: SubjectKind, name: str, seal_to: list[str]
) -> tuple[PreviousOrder | None, str]:
    """Return the base of an incremental bundle, or why a full one is due."""
    db, config = sources.db, sources.config
    if job.mode == "full" or bundles.newest(db, kind, name, job.name) is None:
        return None, ""
    # A store that lacks it is brought what it lacks: that costs no other store a full one.
    found = bundles.newest_on_any(db, kind, name, job.name, job.stores)
    if found is None:
        return None, "no previous bundle is on a store of the job"
    before, manifest, holders = found
    if not manifest.base:
        return None, ""
    placed = _where_pieces_are(sources, holders, Subject.of(kind, name), before, manifest)
    if isinstance(placed, str):
        return None, placed
    manifest, listing = placed
    if sorted(manifest.sealed_to) != seal_to:
        return None, "the previous bundle is sealed to other keys, or to none"
    if reason := _time_for_full(job, manifest):
        return None, reason
    if not listing.exists():
        return None, f"the listing of {before} is not at hand"
    return PreviousOrder(
        name=before,
        base=manifest.base,
        listing=kept(config, listing),
        pieces=manifest.pieces,
        listing_sha256=manifest.listing_sha256,
        states=kept(config, config.states(kind, name, before)),
    ), ""


def _where_pieces_are(
    sources: OrderInputs,
    holders: list[str],
    subject: Subject,
    before: str,
    manifest: ManifestSummary,
) -> tuple[ManifestSummary, Path] | str:
    """Return the manifest and listing that hold on all stores that have the bundle; else why there
    are none.
    """
    listing = sources.config.listing(*subject, before)
    # Copies may have different manifests after repacking.
    for store in holders:
        for copy in maintenance.copies_on(sources.db, store, subject, before):
            if copy.manifest.listing_sha256 == manifest.listing_sha256:
                continue
            if store != holders[0]:
                return (
                    "the stores hold the previous bundle in different pieces, since one was "
                    "repacked"
                )
            manifest = copy.manifest
            listing = sources.config.listing(*subject, f"{before}@{store}")
    return manifest, listing


def _time_for_full(job: JobInput, manifest: ManifestSummary) -> str:
    age = datetime.now(UTC) - datetime.fromisoformat(manifest.base)
    if age.days >= job.full_every:
        return f"the last full one is {age.days} days old"
    if age < -_CLOCK:
        return "the last full one is of a time that has not come: the clock was set back"
    if manifest.unused_share * 100 > job.max_unused_percent:
        return f"{manifest.unused_share:.0%} of the pieces is unused"
    return ""


def compares_contents(
    sources: OrderInputs,
    job: JobInput,
    kind: SubjectKind,
    name: str,
    previous: PreviousOrder | None,
) -> bool:
    """Return whether it is this bundle's turn to compare contents."""
    if not job.compare_every or previous is None:
        return False
    made = bundles.count_since(sources.db, kind, name, job.name, previous.base)
    return made % job.compare_every == 0


def is_turn_by_sftp(
    sources: OrderInputs,
    job: JobInput,
    kind: SubjectKind,
    name: str,
    previous: PreviousOrder | None,
) -> bool:
    """Return the same for a host that tells size and time alone, where nobody has said
    how often.
    """
    if job.compare_every or previous is None:
        return False
    return bundles.count_since(sources.db, kind, name, job.name, previous.base) % _BY_SFTP == 0
