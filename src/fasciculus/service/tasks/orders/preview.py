"""The order to measure what a job would take of a subject."""

from __future__ import annotations

from ....contracts.orders import PreviewOrder
from ....core.subject import SubjectKind
from ....models import JobInput
from ....records.bundles import bundle_sizes, bundles
from .artifacts import kept, own_folders, spool
from .connections import OrderInputs, host_order, local_stores
from .subjects import databases_of, find_subject


def preview_order(
    sources: OrderInputs, job: JobInput, kind: SubjectKind, name: str, number: int
) -> PreviewOrder:
    """Return the order for the preview of one subject."""
    config = sources.config
    subject = find_subject(sources, kind, name)
    last = bundles.newest(sources.db, kind, name, job.name)
    measured = bundle_sizes.measured(sources.db, kind, name, ["files"])
    return PreviewOrder(
        subject=subject.order,
        host=host_order(sources, subject.host.name),
        own_folders=own_folders(config),
        excluded=local_stores(sources),
        rules=job.rules.as_core(subject.account.excludes if subject.account else ()),
        contents=list(job.contents),
        databases=databases_of(subject, job.databases.as_core()),
        listing=kept(config, config.listing(kind, name, last["name"])) if last else None,
        ratio=measured[1] / measured[0] if measured and measured[0] else 0.0,
        spool=spool(config, f"preview-{number}"),
    )
