"""Tables whose changes are spread over all of their rows.

A member is stored again if any of its rows changed. If changes are spread over a whole table, most
small members stay unchanged. For other tables, larger members need less time and a shorter listing.
The previous bundle shows which tables change in that way.
"""

from __future__ import annotations

from collections.abc import Iterable

import orjson

from ...bundle.listing import OF_FILES
from .members import rows_of

#: Tables of fewer bytes have large members.
_WORTH = 1024 * 1024
#: Members of less on average are small ones.
_IS_SMALL = 12 * 1024
#: Shares of a table's bytes that were new. Between the first two, changes are spread over it; above
#: the second, it was rewritten. Small members that are new beyond the third do not help.
_SPREAD, _REWRITTEN, _USELESS = 0.3, 0.97, 0.6


class _Table:
    def __init__(self) -> None:
        self.bytes = self.count = 0
        self.by_bundle: dict[str, int] = {}

    def wants_small(self, newest: str, is_full: bool) -> bool:
        new = self.by_bundle.get(newest, 0) / self.bytes
        is_small = self.bytes / self.count < _IS_SMALL
        if self.bytes < _WORTH:
            return False
        if is_full:
            return is_small
        if is_small:
            # Nearly all are new on the night on which they became small.
            return new <= _USELESS or new >= _REWRITTEN
        return _SPREAD < new < _REWRITTEN


def with_small_members(lines: Iterable[bytes]) -> frozenset[str]:
    """Return the tables whose rows should be stored in small members.

    ``lines`` are those of the previous listing. A table is named by its members in a bundle without
    their numbers, as ``mariadb/shop/orders``.
    """
    tables: dict[str, _Table] = {}
    for line in lines:
        if line.startswith(OF_FILES) or b"-rows-" not in line:
            continue
        row = orjson.loads(line)
        folder, _, member = row.get("path", "").rpartition("/")
        name = rows_of(member)
        if not name or row["kind"] != "databases" or not row.get("at"):
            continue
        table = tables.setdefault(f"{folder}/{name}", _Table())
        bundle, size = row["at"][0][0].partition(".")[0], row["size"]
        table.bytes += size
        table.count += 1
        table.by_bundle[bundle] = table.by_bundle.get(bundle, 0) + size
    bundles = {bundle for table in tables.values() for bundle in table.by_bundle}
    newest = max(bundles, default="")
    return frozenset(
        name for name, table in tables.items() if table.wants_small(newest, len(bundles) == 1)
    )
