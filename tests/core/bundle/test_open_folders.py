"""Folders held open on the way down a tree, while others exchange them."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest

from fasciculus.core.bundle.root_path import FOLDER_FLAGS
from fasciculus.core.bundle.tree import open_folders
from fasciculus.core.bundle.tree.open_folders import OpenFolders


@pytest.fixture
def opened(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[OpenFolders]:
    """The folders of a deep tree, of which few are open at the same time."""
    monkeypatch.setattr(open_folders, "_MOST", 6)
    found = OpenFolders(os.open(tmp_path, FOLDER_FLAGS))
    yield found
    found.close()


def go_down(opened: OpenFolders, tmp_path: Path, depth: int) -> list[Any]:
    """Make a way down, and go it; the folders on it, the root first."""
    places = [tmp_path]
    for number in range(depth):
        place = places[-1] / f"level-{number}"
        place.mkdir()
        opened.enter(place.name.encode(), place.stat())
        places.append(place)
    return places


def is_at(opened: OpenFolders, place: Path) -> bool:
    info = os.fstat(opened.top)
    return (info.st_dev, info.st_ino) == (place.stat().st_dev, place.stat().st_ino)


def count_of_open() -> int:
    return len(os.listdir("/proc/self/fd"))


def test_the_way_down_and_up_is_the_same_with_few_of_it_open(
    opened: OpenFolders, tmp_path: Path
) -> None:
    before = count_of_open()
    places = go_down(opened, tmp_path, 40)
    assert is_at(opened, places[-1])
    assert count_of_open() - before <= 6
    for place in reversed(places[:-1]):
        opened.leave()
        assert is_at(opened, place)
        assert count_of_open() - before <= 6
    assert count_of_open() == before


def test_what_was_exchanged_on_the_way_is_no_longer_gone_through(
    opened: OpenFolders, tmp_path: Path
) -> None:
    places = go_down(opened, tmp_path, 12)
    places[2].rename(tmp_path / "aside")
    places[2].mkdir()
    for place in reversed(places[8:12]):
        opened.leave()
        assert is_at(opened, tmp_path / "aside" / place.relative_to(places[2])), "it is open still"
    for _ in range(4):
        opened.leave()
    with pytest.raises(OSError, match="exchanged for another folder"):
        assert opened.top


def test_a_folder_must_be_the_one_that_was_listed(opened: OpenFolders, tmp_path: Path) -> None:
    (tmp_path / "one").mkdir()
    (tmp_path / "other").mkdir()
    listed = (tmp_path / "one").stat()
    (tmp_path / "one").rename(tmp_path / "aside")
    before = count_of_open()
    (tmp_path / "other").rename(tmp_path / "one")
    with pytest.raises(OSError, match="exchanged for another folder"):
        opened.enter(b"one", listed)
    (tmp_path / "one").rmdir()
    (tmp_path / "one").symlink_to("aside")
    with pytest.raises(OSError):
        opened.enter(b"one", listed)
    assert count_of_open() == before and is_at(opened, tmp_path)


def test_closing_leaves_nothing_open(tmp_path: Path) -> None:
    before = count_of_open()
    found = OpenFolders(os.open(tmp_path, FOLDER_FLAGS))
    go_down(found, tmp_path, 10)
    found.close()
    assert count_of_open() == before
