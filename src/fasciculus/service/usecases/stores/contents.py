"""Existing contents of a store that is tested or added, and their creator, as far as known."""

from __future__ import annotations

from collections import Counter
from contextlib import suppress

from ....bundles.retiring import complete
from ....core.bundle.layout import MANIFEST
from ....core.bundle.seal.authentication import Origin, origin_of
from ....core.errors import FasciculusError
from ....core.formatting import format_count, format_list
from ....core.steps import Step
from ....core.subject import BUNDLED, Subject
from ....stores.base import Store
from ....stores.reading import read_all

#: Subjects whose newest bundle is looked at.
_LOOKED_AT = 50
_NAMED = 3
_SAID = {
    Origin.OURS: "made by this service",
    Origin.ALTERED: "made by this service and altered since",
    Origin.UNKNOWN: "of which nothing tells who made them",
}


def contents_step(store: Store, key: bytes) -> Step | None:
    """Return a step about the bundles on a store; None if there are none."""
    subjects = [
        Subject(kind, item.name)
        for kind in BUNDLED
        for item in store.items(kind.plural)
        if item.folder
    ]
    origins: Counter[Origin] = Counter()
    for subject in subjects[:_LOOKED_AT]:
        with suppress(FasciculusError, OSError):
            if names := complete(store, subject):
                path = f"{subject.bundle(names[-1])}/{MANIFEST}"
                origins[origin_of(read_all(store, path), key)] += 1
    if not origins:
        return None
    named = ", ".join(subject.name for subject in subjects[:_NAMED])
    more = ", …" if len(subjects) > _NAMED else ""
    whose = format_list(
        [f"{format_count(count, 'bundle')} {_SAID[origin]}" for origin, count in origins.items()]
    )
    return Step(
        "bundles",
        True,
        f"It holds bundles already, of {format_count(len(subjects), 'subject')} ({named}{more}); "
        f"of the newest, {whose}. They stay; what is not in the records is neither shown nor "
        "retired.",
    )
