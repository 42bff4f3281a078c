"""One table out of a bundle of a large database: the bytes that are read for it."""

from __future__ import annotations

from typing import TYPE_CHECKING, BinaryIO

from fasciculus.core.bundle.listing import read_listing
from fasciculus.core.bundle.reader import BundleReader
from fasciculus.core.dump.mariadb.dump import is_needed
from fasciculus.core.formatting import format_size
from fasciculus.core.subject import Subject
from fasciculus.stores import open_store, store_spec
from fasciculus.stores.base import Store, connected

if TYPE_CHECKING:
    from .__main__ import Bench


class CountingStore:
    """A store that counts the bytes that are asked for."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self.asked = 0

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Open a file of the store."""
        self.asked += length if length is not None else (self._store.size(path) or 0) - offset
        return self._store.open(path, offset, length)


def one_table(bench: Bench, table: str) -> None:
    """Measure what a restore of one table reads from the bundle made last."""
    settings = {"kind": "folder", "folder": str(bench.store)}
    with (
        connected(open_store(store_spec("attic", settings))) as store,
        (bench.folder / "listing.zst").open("rb") as raw,
    ):
        counting = CountingStore(store)
        with BundleReader(counting, Subject.of("account", "table")) as reader:
            for entry in read_listing(raw, ["databases"]):
                if is_needed(entry.text.rpartition("/")[2], [table], {}):
                    b"".join(reader.contents(entry))
        whole = sum(piece.bytes for piece in bench.manifest.pieces)
    bench.say(
        f"one table out of a database of {format_size(whole)}, packed",
        "bytes read",
        format_size(counting.asked),
        "20 MB",
        "9 MB",
    )
