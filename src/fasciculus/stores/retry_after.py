"""The Retry-After header of HTTP servers (RFC 9110, 10.2.3)."""

from __future__ import annotations

from datetime import UTC, datetime
from email.utils import parsedate_to_datetime

#: Seconds beyond which nobody is waited for at once.
LONGEST = 300.0


def retry_after(header: str | None, now: datetime) -> float:
    """Return the seconds that a ``Retry-After`` header asks for, be it seconds or a date.

    0 if missing or invalid; never more than ``LONGEST``.
    """
    text = (header or "").strip()
    if text.isascii() and text.isdecimal():
        return min(float(text[:9]), LONGEST)
    try:
        moment = parsedate_to_datetime(text)
    except (ValueError, OverflowError):
        return 0.0
    if moment.tzinfo is None:
        moment = moment.replace(tzinfo=UTC)
    return min(max((moment - now).total_seconds(), 0.0), LONGEST)
