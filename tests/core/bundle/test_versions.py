"""Versions of files over many bundles, against looking into every listing."""

from __future__ import annotations

import io
import random
from typing import Any

import pytest

from fasciculus.core.bundle.entry import DIR, Entry, to_text
from fasciculus.core.bundle.listing import ListingWriter
from fasciculus.core.bundle.versions import VersionSearch, write_changes
from fasciculus.core.errors import DamagedError

NAMES = [
    b"index.php",
    b"a b/index.php",
    b'quo"te/index.php',
    b"gr\xc3\xbcn/index.php",
    b"not\xff/index",
]


def listing(state: Any) -> Any:
    raw = io.BytesIO()
    writer = ListingWriter(raw)
    writer.add(Entry("files", b"", DIR, mode=0o755))
    for path in sorted(state, key=lambda p: p.split(b"/")):
        digest = f"{state[path]:064x}"
        writer.add(Entry("files", path, size=0, mtime_ns=5, digest=digest))
    writer.close()
    return raw.getvalue()


def changes(before: Any, after: Any) -> Any:
    sink = io.BytesIO()
    write_changes(io.BytesIO(before), io.BytesIO(after), sink)
    return io.BytesIO(sink.getvalue())


def expected(nights: Any, word: Any) -> Any:
    """The spans of each state of each file, from all listings."""
    found = {}
    for path in {p for night in nights for p in night if word in to_text(p)}:
        spans, last = [], None
        for number, night in enumerate(nights):
            now = night.get(path)
            if now is not None and now == last:
                spans[-1][2] = number
            elif now is not None:
                spans.append([now, number, number])
            last = now
        found[to_text(path)] = (spans, path not in nights[-1])
    return found


@pytest.mark.parametrize("seed", range(8))
def test_versions_are_those_of_all_listings(seed: Any) -> None:
    chance = random.Random(seed)
    state, nights = {}, []
    for _ in range(12):
        for name in NAMES:
            if chance.random() < 0.4:
                state[name] = chance.randrange(3)
            elif chance.random() < 0.2:
                state.pop(name, None)
        nights.append(dict(state))
    listings = [listing(night) for night in nights]
    for word in ("index.php", '"te', "grün", "a b", "nothing"):
        search = VersionSearch([word], "files")
        search.first(io.BytesIO(listings[0]))
        for before, after in zip(listings, listings[1:], strict=False):
            search.next(changes(before, after))
        found = {
            file.path: (
                [[int(v.state.digest, 16), v.first, v.last] for v in file.versions],
                file.is_gone,
            )
            for file in search.result()
        }
        assert found == expected(nights, word), word


def test_all_words_must_be_in_the_path_of_that_kind() -> None:
    state = {b"sites/www/index.php": 1, b"sites/shop/index.php": 1, b"index.php": 1}
    search = VersionSearch(["index", "shop"], "files")
    search.first(io.BytesIO(listing(state)))
    assert [file.path for file in search.result()] == ["sites/shop/index.php"]
    other = VersionSearch(["index"], "mail")
    other.first(io.BytesIO(listing(state)))
    assert other.result() == []


def test_what_is_cut_short_is_damage() -> None:
    whole = listing({b"index.php": 1})
    with pytest.raises(DamagedError):
        VersionSearch(["index"], "files").first(io.BytesIO(whole[:-4]))
    search = VersionSearch(["index"], "files")
    search.first(io.BytesIO(whole))
    with pytest.raises(DamagedError):
        search.next(io.BytesIO(whole))
