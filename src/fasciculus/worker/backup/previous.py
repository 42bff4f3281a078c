"""The previous bundle: what an incremental one can use of it."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterator
from contextlib import ExitStack, closing, contextmanager
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from msgspec.structs import asdict

from ...contracts.orders import BackupOrder, PreviousOrder
from ...core.bundle.listing import ListingPrefix, read_lines
from ...core.bundle.states.previous_index import PreviousIndex, unchanged, unchanged_by_sftp
from ...core.bundle.states.stat_cache import StatCache, StatCacheWriter, length_of_listing
from ...core.bundle.tree.stat_prefetch import StatPrefetcher

if TYPE_CHECKING:
    from ...core.bundle.manifest import DiffCounts
    from ...hosts.base import HostConnection

_BUFFER = 1024 * 1024


class PreviousBundle:
    """The previous bundle of the order, compared with the available files.

    ``lost`` says that its listing is missing or altered, so that nothing can build on it.
    """

    def __init__(self, order: BackupOrder, host: HostConnection, spool: Path) -> None:
        self._order, self._host, self._spool = order, host, spool
        self.lost = order.previous is not None and not _is_whole(order.previous)
        self.usable = order.previous is not None and not self.lost
        self._ahead: StatPrefetcher | None = None

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._ahead is not None:
            self._ahead.close()
            self._ahead = None

    @contextmanager
    def listing(self) -> Iterator[PreviousIndex]:
        """Its listing, read in parallel with the scan."""
        previous = self._previous
        same = unchanged if self._host.tells_ctime else unchanged_by_sftp
        with closing(
            PreviousIndex(Path(previous.listing), same, self._spool, frozenset(self._order.damaged))
        ) as found:
            yield found

    @property
    def _previous(self) -> PreviousOrder:
        assert self._order.previous is not None
        return self._order.previous

    @property
    def _stat_cache(self) -> Path:
        assert self._previous.states is not None
        return Path(self._previous.states)

    # States ----------------------------------------------------------------------

    def noting(self, stack: ExitStack) -> StatCacheWriter | None:
        """Return where the states of the new bundle's files are noted for the next one."""
        if not self._order.states or "files" not in self._order.contents or not self._by_states():
            return None
        before = self._stat_cache if self._listed else None
        return StatCacheWriter(
            stack.enter_context(open(self._order.states, "w+b", _BUFFER)), self._about(), before
        )

    def beginning(self) -> ListingPrefix | None:
        """Its listing, for the new one to begin like, when its states say what did not change."""
        if not self._listed:
            return None
        return ListingPrefix(
            Path(self._previous.listing), self._previous.listing_sha256, self._listed
        )

    def look_ahead(self) -> None:
        """Begin to look at files from the end of the tree on, where a core is to be had for it. It
        is a fork.
        """
        if self._order.threads > 1 and self._listed:
            self._ahead = StatPrefetcher(self._stat_cache, os.fsencode(self._order.subject.root))

    def states(self, stack: ExitStack) -> StatCache | None:
        """Return the states of its files, when they were taken with the same rules."""
        if not self._listed:
            return None
        known = self._ahead.unchanged if self._ahead is not None else lambda number: False
        return stack.enter_context(
            closing(StatCache(self._stat_cache, Path(self._previous.listing), known))
        )

    @cached_property
    def _listed(self) -> int:
        """Return the length of all lines of its listing, where the states of its files are at hand;
        else 0.
        """
        if (
            not self.usable
            or self._order.compare
            or not self._previous.states
            or not self._by_states()
        ):
            return 0
        return length_of_listing(
            Path(self._previous.states), self._previous.listing_sha256, self._about()
        )

    def _by_states(self) -> bool:
        """Return whether an unchanged state means that an entry goes in, or not, as before: not so
        over SSH, nor with rules that look at the clock or into files.
        """
        rules = self._order.rules
        return not (
            not self._host.is_local
            or rules.includes
            or rules.older_than
            or rules.skip_tagged_caches
            or rules.ignore_file
        )

    def _about(self) -> str:
        order = self._order
        return json.dumps(
            [
                order.subject.root,
                asdict(order.rules),
                sorted(order.excluded),
                sorted(row.path for row in order.databases),
            ]
        )

    # Differences -------------------------------------------------------------------

    def changes(self, listing_sha256: str) -> DiffCounts | None:
        """Return how the new bundle differs from it, None where there was none.

        Raises ``DamagedError`` when its listing cannot be read to its end.
        """
        order = self._order
        if not order.before or not os.path.exists(order.before):
            return None
        from ...core.bundle import diff
        from ...core.bundle.manifest import DiffCounts

        if order.previous is not None and (order.before, listing_sha256) == (
            order.previous.listing,
            order.previous.listing_sha256,
        ):
            return DiffCounts()
        with open(order.before, "rb") as old, open(order.listing, "rb") as new:
            return diff.count(read_lines(old), read_lines(new))


def _is_whole(previous: PreviousOrder) -> bool:
    """Return whether its listing is available and unchanged."""
    try:
        with open(previous.listing, "rb") as raw:
            return not previous.listing_sha256 or (
                hashlib.file_digest(raw, "sha256").hexdigest() == previous.listing_sha256
            )
    except OSError:
        return False
