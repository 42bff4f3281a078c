"""Sizes of members: small where changes are spread over a table, by the previous listing."""

from __future__ import annotations

import random
from typing import Any

from fasciculus.core.bundle.entry import Entry, Extent
from fasciculus.core.bundle.listing import to_line
from fasciculus.core.dump.filters import DatabaseRules
from fasciculus.core.dump.sql.member_sizes import LARGE, SMALL
from fasciculus.core.dump.sql.spread_changes import with_small_members

OLD, NEW = "2026-11-27T021500Z-nightly", "2026-11-28T021500Z-nightly"


def lines(sizes: Any, new: Any, table: Any = "shop/orders", kind: Any = "databases") -> Any:
    """Yield the lines of a table's members; a share of them is in the newest pieces."""
    chance = random.Random(7)
    for part, size in enumerate(sizes, 1):
        bundle = NEW if chance.random() < new else OLD
        at = Extent(f"{bundle}.databases-0001.tar.zst", 0, 900, 0, size)
        path = f"mariadb/{table.replace('/', '/00003-rows-')}-{part:06d}.sql".encode()
        yield to_line(Entry(kind, path, "file", size=size, digest="00" * 32, parts=[at]))


def small(*tables: Any) -> Any:
    return with_small_members(line for table in tables for line in table)


LARGE_ONES, SMALL_ONES = [64 * 1024] * 60, [4 * 1024] * 900


def test_spread_changes_make_members_small_and_keep_them_so() -> None:
    name = {"mariadb/shop/orders"}
    other = list(lines(LARGE_ONES, 0.0, "shop/other"))
    assert small(lines(LARGE_ONES, 0.76), other) == name
    assert small(lines(LARGE_ONES, 0.02), other) == set(), "only the newest rows"
    assert small(lines(LARGE_ONES, 1.0), other) == set(), "a new table, or one that was rewritten"
    assert small(lines(LARGE_ONES, 1.0)) == set(), "a full bundle says nothing"
    assert small(lines(SMALL_ONES, 1.0), other) == name, "the night on which they became small"
    assert small(lines(SMALL_ONES, 1.0)) == name, "a full bundle keeps them"
    assert small(lines(SMALL_ONES, 0.1), other) == name
    assert small(lines(SMALL_ONES, 0.75), other) == set(), "they did not help"
    assert small(lines([64 * 1024] * 9, 0.7), other) == set(), "too little to matter"
    files = lines(LARGE_ONES, 0.76, kind="files")
    assert small(files, other) == set()


def test_only_the_named_tables_have_small_members() -> None:
    rules = DatabaseRules(small_members=frozenset(["public%2Eorders"])).of("shop")
    assert rules.sizes("public.orders") == SMALL and rules.sizes("public.other") == LARGE
