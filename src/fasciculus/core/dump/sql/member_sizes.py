"""Sizes of the members that rows of a table are stored in."""

from __future__ import annotations

from typing import NamedTuple


class MemberSizes(NamedTuple):
    """Bytes of a member: at least, on average, and at most."""

    least: int
    usual: int
    most: int


LARGE = MemberSizes(16 * 1024, 64 * 1024, 1024 * 1024)
SMALL = MemberSizes(1024, 4 * 1024, 1024 * 1024)
