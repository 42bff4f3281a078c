"""A walk in parallel with the previous bundle's states: it reuses unchanged entries."""

from __future__ import annotations

import os
import shutil
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fasciculus.core.bundle.entry import order
from fasciculus.core.bundle.listing import ListingWriter
from fasciculus.core.bundle.stat_block import BLOCK_HEAD, PLAIN, STATE, StatBlock
from fasciculus.core.bundle.states import stat_cache
from fasciculus.core.bundle.states.stat_cache import StatCache, StatCacheWriter, length_of_listing
from fasciculus.core.bundle.tree.tree_walk import WalkRules, scan
from fasciculus.core.file_filters import FileRules, FileSelector

FOLDERS = ("", "a/", "a/b/", "c/")


@pytest.fixture(scope="module")
def tree(tmp_path_factory: Any) -> Path:
    """A tree of some folders with a run of files in each."""
    found = tmp_path_factory.mktemp("states") / "tree"
    for folder in FOLDERS:
        (found / folder).mkdir(parents=True, exist_ok=True)
        for number in range(12):
            (found / f"{folder}f{number:02}").write_text(f"{folder}{number}")
    return found


def noted(tree: Path) -> Any:
    """The listing and the states of a tree, as a bundle of all of it leaves them."""
    listing, states = tree.parent / "before.zst", tree.parent / "before.states"
    with listing.open("wb") as raw, states.open("w+b") as noting:
        writer = StatCacheWriter(noting, "about")
        lines = ListingWriter(raw, writer)
        for entry in scan(os.fsencode(tree)):
            lines.add(entry)
        digest = lines.close()
        writer.close(digest, lines.length)
    assert length_of_listing(states, digest, "about") == lines.length
    return listing, states


def walked(tree: Any, places: Any, chooser: Any = None, known: Any = lambda number: False) -> Any:
    """The reused and the described paths of a walk."""
    listing, states = places
    taken = []

    def on_run(run: Any) -> Any:
        taken.extend(b"/".join(filter(None, (run.folder, name))) for name in run.names)
        return True

    def on_same(run: Any, line: Any) -> Any:
        start = line.index(b'"path":"') + 8
        taken.append(line[start : line.index(b'"', start)])
        return True

    with closing(StatCache(states, listing, known)) as cache:
        rules = WalkRules(states=cache, on_run=on_run, on_same=on_same, chooser=chooser)
        described = [entry.path for entry in scan(os.fsencode(tree), chosen=rules)]
    return taken, described


def every(tree: Any) -> Any:
    return [entry.path for entry in scan(os.fsencode(tree))]


def test_of_a_tree_that_did_not_change_everything_is_taken_over(tree: Path) -> None:
    taken, described = walked(tree, noted(tree))
    assert described == [] and sorted(taken, key=order) == every(tree)


def test_who_refuses_gets_it_described(tree: Path) -> None:
    places = noted(tree)
    with closing(StatCache(places[1], places[0])) as cache:
        rules = WalkRules(states=cache, on_run=lambda run: False, on_same=lambda run, line: False)
        assert [entry.path for entry in scan(os.fsencode(tree), chosen=rules)] == every(tree)


CHANGES = st.lists(
    st.tuples(
        st.sampled_from(FOLDERS),
        st.integers(0, 11),
        st.sampled_from(["write", "remove", "chmod", "folder", "link", "beside", "touch", "swap"]),
    ),
    min_size=1,
    max_size=5,
)


def changed(tree: Any, folder: Any, number: Any, what: Any) -> Any:
    """Change one file; the paths that must not be taken over."""
    path = tree / f"{folder}f{number:02}"
    relative = os.fsencode(f"{folder}f{number:02}")
    if not path.is_file() or path.is_symlink():
        return set()
    match what:
        case "write":
            path.write_text("something else, and longer")
        case "remove":
            path.unlink()
        case "chmod":
            path.chmod(0o600)
        case "folder":
            path.unlink()
            path.mkdir()
        case "link":
            path.unlink()
            path.symlink_to("f00")
        case "beside":
            beside = tree / f"{folder}f{number:02}-new"
            beside.write_text("new")
            return {os.fsencode(f"{folder}f{number:02}-new")}
        case "touch":
            os.utime(path, ns=(1, 1))
        case "swap":
            # The same name, size and time, but another file.
            info = path.stat()
            other = path.with_name("other")
            other.write_bytes(b"X" * info.st_size)
            os.utime(other, ns=(info.st_atime_ns, info.st_mtime_ns))
            other.rename(path)
    return {relative}


@settings(
    max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(CHANGES)
def test_what_changed_is_never_taken_over(tree: Path, changes: list[Any]) -> None:
    work = tree.parent / "work" / "tree"
    shutil.rmtree(work.parent, ignore_errors=True)
    shutil.copytree(tree, work)
    places = noted(work)
    different = set().union(*(changed(work, *change) for change in changes))
    taken, described = walked(work, places)
    assert not different & set(taken)
    assert sorted([*taken, *described], key=order) == every(work), "each once, and nothing else"
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(stat_cache, "library", lambda: None)
        assert walked(work, places) == (taken, described), "the twin in Python says the same"


@pytest.mark.parametrize(
    ("names", "count", "same"),
    [
        (b"f00", 1, True),
        (b"f00", 2, False),
        (b"f00", 0, False),
        (b"f00\0", 1, False),
        (b"", 0, False),
    ],
)
def test_names_and_states_that_do_not_fit_are_no_unchanged_run(
    tree: Path, names: bytes, count: int, same: bool
) -> None:
    states = STATE.pack(*stat_cache.state_of(os.lstat(tree / "f00"))) * count
    head = BLOCK_HEAD.pack(0, len(names), len(states), 0, 2, 1, 0, PLAIN)
    run = StatBlock(head + names + states + b"[]", bytes)
    folder = os.open(tree, os.O_RDONLY)
    try:
        assert stat_cache.unchanged_in(folder, run) is same
        assert stat_cache.unchanged_by_python(folder, run) is same
    finally:
        os.close(folder)


def test_a_run_with_a_change_is_still_taken_name_by_name(tree: Path) -> None:
    work = tree.parent / "one" / "tree"
    shutil.copytree(tree, work)
    places = noted(work)
    (work / "a/f05").write_text("changed")
    taken, described = walked(work, places)
    assert b"a/f04" in taken and b"a/f06" in taken
    assert described == [b"a/f05"]


def test_rules_leave_out_what_the_states_would_give(tree: Path) -> None:
    """A run is not taken whole where a rule leaves one of its names out."""
    places = noted(tree)
    chooser = FileSelector(FileRules(excludes=("none-of-these",)), 0)
    taken, described = walked(tree, places, chooser)
    assert sorted([*taken, *described], key=order) == every(tree)


def test_a_run_that_was_looked_at_already_is_not_looked_at_again(tree: Path) -> None:
    """Looking ahead may have found it unchanged; then nobody asks the file system."""
    work = tree.parent / "ahead" / "tree"
    shutil.copytree(tree, work)
    places = noted(work)
    (work / "a/f05").write_text("changed after it was looked at")
    taken, _ = walked(work, places, known=lambda number: True)
    assert b"a/f05" in taken


def test_states_of_another_listing_or_other_rules_are_of_no_use(tree: Path) -> None:
    _, states = noted(tree)
    assert length_of_listing(states, "0" * 64, "about") == 0
    assert length_of_listing(states.with_name("none"), "0" * 64, "about") == 0
    states.write_bytes(b"not states")
    assert length_of_listing(states, "0" * 64, "about") == 0
