"""Nights on which rows of a table changed, and what is stored of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import msgspec

if TYPE_CHECKING:
    from fasciculus.contracts.orders import BackupOrder

    from .__main__ import Bench

_DUMP = "its full dump, compressed"


def changed_rows(
    bench: Bench, order: BackupOrder, run: Callable[[str], None], number: str, whole: int
) -> None:
    """Measure nights on which 1 % of the rows of ``t`` changed: the newest, and at random.

    ``number`` is an expression for a number of a row without order; ``whole`` the bytes of the
    table's dump.
    """
    before, rows = bench.previous("rows.zst"), int(1_000_000 * bench.scale)
    nights = [
        ("the newest", f"id > {rows * 99 // 100}", "0.25x", "0.05x"),
        # Other rows each night; on the second one the table is stored in small members.
        *(("at random", f"{number} % 100 = {day}", "0.35x", "0.15x") for day in (7, 31, 62)),
    ]
    for which, chosen, must, aim in nights:
        run(f"UPDATE t SET price = price + 1 WHERE {chosen}")
        bench.worker(msgspec.structs.replace(order, previous=before, before=before.listing))
        before = bench.previous("rows.zst")
        what = f"a night on which 1 % of rows changed, {which}"
        bench.say(what, _DUMP, f"{bench.packed / whole:.3f}x", must, aim)
    size = (bench.folder / "listing.zst").stat().st_size
    bench.say("the listing of small members", _DUMP, f"{size / whole:.3f}x", "0.1x", "0.1x")
