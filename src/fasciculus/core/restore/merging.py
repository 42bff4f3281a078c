"""Merging the entries of a bundle with those of a live tree, both in scan order."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..bundle.entry import Entry, order


def merged(
    wanted: Iterable[Entry], live: Iterable[Entry]
) -> Iterator[tuple[Entry | None, Entry | None]]:
    """Yield the entries of two streams side by side, by path; None where one side has none.

    A path that a stream has more than once, or out of order, is yielded as often.
    """
    left, right = iter(wanted), iter(live)
    one, two = next(left, None), next(right, None)
    while one is not None and two is not None:
        if one.path == two.path:
            yield one, two
            one, two = next(left, None), next(right, None)
        elif order(one.path) < order(two.path):
            yield one, None
            one = next(left, None)
        else:
            yield None, two
            two = next(right, None)
    while one is not None:
        yield one, None
        one = next(left, None)
    while two is not None:
        yield None, two
        two = next(right, None)
