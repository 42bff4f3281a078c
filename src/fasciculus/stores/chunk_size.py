"""The size of chunks after which a transfer is confirmed."""

from __future__ import annotations

LEAST = 1024 * 1024
MOST = 16 * 1024 * 1024


def chunk_size(so_far: int) -> int:
    """Return the bytes of the next stretch, when ``so_far`` have arrived since the connection was
    made.

    Short at first: a line that breaks again and again still gets further each time. Long later:
    each costs a round trip.
    """
    return min(MOST, max(LEAST, so_far))
