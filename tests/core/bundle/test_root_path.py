"""Paths whose parts others may exchange: which links count, and which lead nowhere."""

from __future__ import annotations

import os
import stat
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from fasciculus.core.bundle import root_path


@pytest.fixture
def valley(tmp_path: Path) -> Path:
    """A folder of the service's own, a home in which others may write, and what is neither."""
    for name in ("ours/deep", "home/site/deep", "outside"):
        (tmp_path / name).mkdir(parents=True)
    for name in ("home", "home/site", "home/site/deep"):
        (tmp_path / name).chmod(0o777)
    for name in ("ours", "home/site", "outside"):
        (tmp_path / name / "page").write_text(name)
    return tmp_path


def read(path: Path, home: str | Path = "", how: Callable[..., Any] = root_path.open_file) -> str:
    descriptor = how(os.fsencode(path), os.fsencode(home)) if home else how(os.fsencode(path))
    with open(descriptor) as file:
        return file.read()


def same(descriptor: int, path: str | Path) -> bool:
    found, wanted = os.fstat(descriptor), os.stat(path)
    os.close(descriptor)
    return (found.st_dev, found.st_ino) == (wanted.st_dev, wanted.st_ino)


def test_a_path_is_what_the_system_takes_it_for(valley: Path) -> None:
    for way in ("home/site", "home/./site/", "home/site/deep/..", "home//site/deep/../../site"):
        assert same(
            root_path.open_root(os.fsencode(valley / "x")[:-1] + way.encode()), valley / way
        )
    assert same(root_path.open_root(b"/../.."), "/")
    assert read(valley / "home/site/page") == "home/site"
    with pytest.raises(FileNotFoundError):
        root_path.open_root(os.fsencode(valley / "nowhere"))
    with pytest.raises(NotADirectoryError):
        root_path.open_root(os.fsencode(valley / "home/site/page"))
    with pytest.raises(NotADirectoryError):
        root_path.open_root(os.fsencode(valley / "home/site/page/x"))


def test_a_link_of_ones_own_counts_wherever_it_leads(valley: Path) -> None:
    (valley / "ours/link").symlink_to(valley / "home/site")
    (valley / "ours/file").symlink_to("../outside/page")
    assert same(root_path.open_root(os.fsencode(valley / "ours/link")), valley / "home/site")
    assert (
        read(valley / "ours/link/page") == "home/site" and read(valley / "ours/file") == "outside"
    )
    for n, to in (("one", "two"), ("two", "one")):
        (valley / "ours" / n).symlink_to(to)
    with pytest.raises(OSError):
        # Without end, though each of them counts.
        root_path.open_parent(os.fsencode(valley / "ours/one"))


def test_a_link_that_others_could_set_is_followed_within_their_home_alone(valley: Path) -> None:
    home = valley / "home"
    (home / "in").symlink_to("site")
    (home / "round").symlink_to("../home/site")
    (home / "whole").symlink_to(home / "site/page")
    (home / "out").symlink_to("../outside")
    (home / "far").symlink_to(valley / "outside/page")
    (home / "up").symlink_to("..")
    for way in ("in/page", "round/page", "whole"):
        assert read(home / way, home) == "home/site"
        with pytest.raises(OSError, match="is a link that others could set"):
            read(home / way)
    for way in ("out/page", "far", "up/outside/page"):
        with pytest.raises(OSError, match="out of the home"):
            read(home / way, home)
    for way in ("out", "up"):
        with pytest.raises(OSError, match="out of the home"):
            root_path.open_root(os.fsencode(home / way), os.fsencode(home))
    assert same(root_path.open_root(os.fsencode(home / "in"), os.fsencode(home)), home / "site")
    (valley / "home-of-another").mkdir()
    (home / "beside").symlink_to("../home-of-another")
    with pytest.raises(OSError, match="out of the home"):
        root_path.open_root(os.fsencode(home / "beside"), os.fsencode(home))
    for n, to in (("one", "two"), ("two", "one")):
        (home / n).symlink_to(to)
    with pytest.raises(OSError, match="is a link that others could set"):
        root_path.open_root(os.fsencode(home / "one"), os.fsencode(home))


def test_what_was_listed_as_a_file_must_not_be_a_link_now(valley: Path) -> None:
    path = valley / "home/site/page"
    assert read(path, how=root_path.open_listed_file) == "home/site"
    path.unlink()
    path.symlink_to(valley / "ours/page")
    with pytest.raises(OSError):
        root_path.open_listed_file(os.fsencode(path))


def test_neither_a_pipe_nor_a_device_holds_anybody_up(valley: Path) -> None:
    os.mkfifo(valley / "home/pipe")
    descriptor = root_path.open_file(os.fsencode(valley / "home/pipe"))
    assert stat.S_ISFIFO(os.fstat(descriptor).st_mode)
    os.close(descriptor)


def test_what_is_missing_of_a_way_is_made_for_the_service_alone(valley: Path) -> None:
    place = valley / "home/new/newer"
    assert same(root_path.make_root(os.fsencode(place)), place)
    assert stat.S_IMODE(place.stat().st_mode) & 0o022 == 0
    assert same(root_path.make_root(os.fsencode(place) + b"/"), place), "a second time it is there"
    (valley / "home/new/link").symlink_to(valley / "outside")
    (valley / "home/out").symlink_to(valley / "outside")
    assert same(root_path.make_root(os.fsencode(valley / "home/new/link/x")), valley / "outside/x")
    with pytest.raises(OSError, match="is a link that others could set"):
        root_path.make_root(os.fsencode(valley / "home/out/y"))
    assert not (valley / "outside/y").exists()
    with pytest.raises(NotADirectoryError):
        root_path.make_root(os.fsencode(valley / "ours/page/x"))


def test_a_folder_in_a_folder_is_never_one_behind_a_link(valley: Path) -> None:
    above = os.open(valley / "home", root_path.FOLDER_FLAGS)
    assert same(root_path.child_folder(above, b"site", 0o700), valley / "home/site")
    assert same(root_path.child_folder(above, b"fresh", 0o700), valley / "home/fresh")
    (valley / "home/out").symlink_to(valley / "outside")
    (valley / "home/none").symlink_to(valley / "not-there")
    for name in (b"out", b"none"):
        with pytest.raises(OSError):
            root_path.child_folder(above, name, 0o700)
    os.close(above)
    assert not (valley / "not-there").exists()


def test_where_a_file_is_written_follows_only_links_of_root(valley: Path) -> None:
    def place(path: Path) -> Any:
        descriptor, name = root_path.open_parent(os.fsencode(path))
        return same(descriptor, valley / "outside"), name

    (valley / "ours/map").symlink_to("../outside/map")
    assert place(valley / "outside/map") == place(valley / "ours/map") == (True, b"map")
    assert place(valley / "ours/made/map") == (False, b"map") and (valley / "ours/made").is_dir()
    (valley / "home/map").symlink_to(valley / "outside/map")
    with pytest.raises(OSError, match="is a link that others could set"):
        root_path.open_parent(os.fsencode(valley / "home/map"))
