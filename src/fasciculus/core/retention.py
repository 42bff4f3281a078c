"""Keep rules: which copies retire."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct

from .errors import SettingError


class RetentionCopy(Struct, frozen=True):
    """What a keep rule needs to know of one copy."""

    name: str
    pinned: bool = False


def check(count: int) -> int:
    """The number of copies to keep, if it is a usable one."""
    if not 1 <= count <= 10_000:
        raise SettingError(
            f"{count} copies cannot be kept.", "Give a number from 1 to 10,000.", field="keep"
        )
    return count


def retiring(copies: Sequence[RetentionCopy], count: int) -> list[RetentionCopy]:
    """The copies that no longer stay when ``count`` of them are kept, oldest first.

    ``copies`` come in the order in which they were made; what the clock said then does not count,
    since it may have been set. The last ones stay. A pinned copy always stays and does not use up
    a place. With ``count`` at least 1, the last good copy is never among the answer.
    """
    check(count)
    return [copy for copy in copies if not copy.pinned][:-count]


def freed(going: Iterable[str], needs: Mapping[str, Mapping[str, int]]) -> dict[str, int]:
    """The bytes that each of some copies frees when they go one after the other.

    ``needs`` has, for every copy of the subject on the store, the bytes of each piece that it
    needs; a piece goes with the last copy that needs it."""
    left = {name: set(pieces) for name, pieces in needs.items()}
    found = {}
    for name in going:
        mine = left.pop(name, set())
        others = set().union(*left.values()) if left else set()
        found[name] = sum(needs[name][piece] for piece in mine - others)
    return found
