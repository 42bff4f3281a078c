"""One walk over a tree: order, links, what is left out, and what vanishes on the way."""

from __future__ import annotations

import os
from contextlib import closing
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from fasciculus.core.bundle.entry import FIFO, FILE, SYMLINK, order
from fasciculus.core.bundle.tree.open_tree import OpenTree
from fasciculus.core.bundle.tree.tree_walk import WalkRules, group_name, scan, shown, user_name
from fasciculus.core.file_filters import FileRules, FileSelector
from fasciculus.hosts.local import LocalHost


@pytest.fixture
def tree(tmp_path: Path) -> Path:
    for path in ("a/x", "a.b/x", "a/b/c/deep", "z"):
        (tmp_path / path).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / path).write_text(path)
    return tmp_path


def walked(root: Path, **rules: Any) -> list[Any]:
    return list(scan(os.fsencode(root), chosen=WalkRules(**rules)))


def paths(root: Path, **rules: Any) -> list[bytes]:
    return [entry.path for entry in walked(root, **rules)]


def test_each_folder_comes_before_what_is_in_it(tree: Path) -> None:
    found = paths(tree)
    assert found == sorted(found, key=order)
    assert found[:3] == [b"", b"a", b"a/b"] and found[-1] == b"z"


def test_an_entry_says_what_lstat_says(tree: Path) -> None:
    os.chmod(tree / "z", 0o4640)
    os.utime(tree / "z", ns=(5, -7_000_000_001))
    info = os.lstat(tree / "z")
    (entry,) = [entry for entry in walked(tree) if entry.path == b"z"]
    assert (entry.type, entry.size, entry.mode) == (FILE, 1, 0o4640)
    assert (entry.mtime_ns, entry.ctime_ns) == (-7_000_000_001, info.st_ctime_ns)
    assert (entry.inode, entry.device) == (info.st_ino, info.st_dev)
    assert (entry.uid, entry.user) == (info.st_uid, user_name(info.st_uid))
    assert (entry.gid, entry.group) == (info.st_gid, group_name(info.st_gid))
    assert user_name(3_999_999_999) == group_name(3_999_999_999) == ""


def test_links_are_not_followed_and_a_pipe_is_not_opened(tree: Path) -> None:
    (tree / "to-a").symlink_to("a")
    (tree / "loop").symlink_to(".")
    (tree / "gone").symlink_to("nowhere")
    os.mkfifo(tree / "pipe")
    found = {entry.path: entry for entry in walked(tree)}
    assert found[b"to-a"].type == SYMLINK and found[b"to-a"].target == b"a"
    assert found[b"loop"].target == b"." and found[b"gone"].target == b"nowhere"
    assert found[b"pipe"].type == FIFO
    assert not any(path.startswith((b"to-a/", b"loop/")) for path in found)


def test_names_of_one_file_lead_to_the_first_in_scan_order(tree: Path) -> None:
    os.link(tree / "z", tree / "a/first")
    os.link(tree / "z", tree / "m")
    found = {entry.path: entry for entry in walked(tree)}
    assert found[b"a/first"].link is None and found[b"a/first"].links == 3
    assert found[b"m"].link == found[b"z"].link == b"a/first"
    assert found[b"a/x"].links == 1 and found[b"a/x"].link is None


def test_what_is_left_out_goes_with_all_below_it(tree: Path) -> None:
    found = paths(tree, excluded=frozenset({b"a/b"}))
    assert b"a/b" not in found and b"a/b/c" not in found
    assert {b"a", b"a/x", b"a.b"} <= set(found)


def test_who_leaves_out_is_told_with_the_rule(tree: Path) -> None:
    told = []
    chooser = FileSelector(FileRules(excludes=("x", "c/")), 0)
    found = paths(tree, chooser=chooser, on_excluded=lambda *row: told.append(row))
    assert found == [b"", b"a", b"a/b", b"a.b", b"z"]
    assert told == [(b"a/b/c", 0, "c/"), (b"a/x", 3, "x"), (b"a.b/x", 5, "x")]


def test_folders_on_the_way_are_listed_only_when_something_below_goes_in(tree: Path) -> None:
    chooser = FileSelector(FileRules(includes=("deep",)), 0)
    assert paths(tree, chooser=chooser) == [b"", b"a", b"a/b", b"a/b/c", b"a/b/c/deep"]
    nothing = FileSelector(FileRules(includes=("*.sql",)), 0)
    assert paths(tree, chooser=nothing) == [b""]


def test_an_ignore_file_of_a_folder_and_a_cache_tag(tree: Path) -> None:
    (tree / "a/.leave").write_text("x\n")
    (tree / "a.b/CACHEDIR.TAG").write_text("Signature: 8a477f597d28d172789f06886806bc55\n")
    rules = FileRules(ignore_file=".leave", skip_tagged_caches=True)
    found = paths(tree, chooser=FileSelector(rules, 0))
    assert b"a/x" not in found and b"a/b/c/deep" in found and b"a/.leave" in found
    assert b"a.b/CACHEDIR.TAG" in found and b"a.b/x" not in found
    (tree / "a.b/CACHEDIR.TAG").write_text("something else")
    assert b"a.b/x" in paths(tree, chooser=FileSelector(rules, 0))


def test_an_ignore_file_that_is_a_link_or_a_pipe_is_not_read(tree: Path) -> None:
    (tree / "elsewhere").write_text("x\n")
    (tree / "a/.leave").symlink_to("../elsewhere")
    os.mkfifo(tree / "a.b/.leave")
    found = paths(tree, chooser=FileSelector(FileRules(ignore_file=".leave"), 0))
    assert {b"a/x", b"a.b/x"} <= set(found)


def test_what_is_known_is_not_described_again_and_its_folder_comes_first(tree: Path) -> None:
    asked = []

    def is_known(relative: bytes, info: Any) -> bool:
        asked.append(relative)
        return relative == b"a/x"

    os.link(tree / "z", tree / "z2")
    found = paths(tree, is_known=is_known)
    assert b"a/x" not in found and b"a" in found
    assert asked == [b"a/b/c/deep", b"a/x", b"a.b/x"], "no folder, and nothing with two names"


@pytest.mark.parametrize("what", ["a/b", "z"])
def test_what_vanishes_is_named_and_the_walk_goes_on(tree: Path, what: str) -> None:
    warned = []
    walk = scan(os.fsencode(tree), warn=warned.append)
    assert [next(walk).path for _ in range(2)] == [b"", b"a"]
    os.rename(tree / what, tree.with_name(f"{tree.name}-away"))
    found = [entry.path for entry in walk]
    if what == "z":
        assert warned == ["z: vanished while it was read"] and b"z" not in found
    assert b"a.b/x" in found and what.encode() not in found


def test_a_folder_that_cannot_be_read_costs_what_is_in_it(
    tree: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    listdir = os.listdir

    def refused(folder: int) -> list[str]:
        if os.readlink(f"/proc/self/fd/{folder}").endswith("/a"):
            raise PermissionError(13, "Permission denied")
        return listdir(folder)

    monkeypatch.setattr(os, "listdir", refused)
    warned = []
    found = [entry.path for entry in scan(os.fsencode(tree), warn=warned.append)]
    assert found == [b"", b"a", b"a.b", b"a.b/x", b"z"]
    assert warned == ["a: the folder could not be read (Permission denied)"]


def test_a_root_that_is_no_folder_is_refused(tree: Path) -> None:
    for root, error in ((tree / "z", NotADirectoryError), (tree / "none", FileNotFoundError)):
        with pytest.raises(error):
            walked(root)


def test_depth_is_bounded_by_the_tree_alone(tmp_path: Path) -> None:
    here = os.getcwd()
    try:
        os.chdir(tmp_path)
        for _ in range(300):
            os.mkdir("d")
            os.chdir("d")
    finally:
        os.chdir(here)
    assert len(paths(tmp_path)) == 301


def test_attributes_go_in(tree: Path) -> None:
    os.setxattr(tree / "z", "user.note", b"\0=")
    (found,) = [entry.xattrs for entry in walked(tree) if entry.path == b"z"]
    assert found == {"user.note": b"\0="}


def test_a_path_for_people() -> None:
    assert shown("grün".encode()) == "grün" and shown(b"caf\xe9") == "caf\\xe9"


def test_two_names_of_one_file_are_enough_for_a_link(tree: Path) -> None:
    os.link(tree / "a/x", tree / "a/y")
    found = {entry.path: entry for entry in walked(tree)}
    assert found[b"a/y"].link == b"a/x" and found[b"a/x"].links == 2
    assert found[b"z"].links == 1


@pytest.mark.parametrize("error", [FileNotFoundError(2, "gone"), PermissionError(13, "denied")])
def test_after_a_folder_that_could_not_be_entered_all_else_is_read_in_its_place(
    tree: Path, monkeypatch: pytest.MonkeyPatch, error: FileNotFoundError | PermissionError
) -> None:
    enter = OpenTree.enter

    def refused(self: OpenTree, name: bytes, relative: bytes, info: Any) -> None:
        if relative in (b"a/b", b"a.b"):
            raise error
        enter(self, name, relative, info)

    monkeypatch.setattr(OpenTree, "enter", refused)
    warned, read = [], {}
    for row in LocalHost().tree(str(tree), WalkRules(), warned.append):
        if row.entry.type == FILE:
            with closing(row.open()) as file:
                read[row.entry.path] = file.read()
    assert read == {b"a/x": b"a/x", b"z": b"z"}
    assert [text.partition(":")[0] for text in warned] == ["a/b", "a.b"]


def test_rules_that_look_into_no_folder_open_none_of_its_files(
    tree: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tree / "a/.leave").write_text("x\n")
    chooser = FileSelector(FileRules(excludes=("none",)), 0)
    monkeypatch.setattr(FileSelector, "enter", lambda *_: pytest.fail("it was not asked for"))
    assert b"a/x" in paths(tree, chooser=chooser)


def test_an_attribute_whose_name_is_not_utf8_costs_itself(tree: Path) -> None:
    os.setxattr(tree / "z", b"user.caf\xe9", b"1")
    os.setxattr(tree / "z", "user.a=b", b"2")
    warned = []
    (found,) = [e for e in scan(os.fsencode(tree), warn=warned.append) if e.path == b"z"]
    assert found.xattrs == {"user.a=b": b"2"}
    assert warned == ["z: an attribute whose name is not UTF-8 is not kept"]


def test_a_name_that_cannot_be_looked_at_costs_itself(
    tree: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    look = os.stat

    def refused(path: bytes, **more: Any) -> Any:
        if path == b"x":
            raise OSError(5, "Input/output error")
        return look(path, **more)

    monkeypatch.setattr(os, "stat", refused)
    warned = []
    found = [entry.path for entry in scan(os.fsencode(tree), warn=warned.append)]
    assert found == [b"", b"a", b"a/b", b"a/b/c", b"a/b/c/deep", b"a.b", b"z"]
    assert warned == [
        "a/x: could not be read (Input/output error)",
        "a.b/x: could not be read (Input/output error)",
    ]


@pytest.mark.parametrize("wanted", [True, False])
def test_another_file_system_is_left_out_only_where_that_is_wanted(
    tree: Path, monkeypatch: pytest.MonkeyPatch, wanted: bool
) -> None:
    look = os.stat

    def elsewhere(path: bytes, **more: Any) -> Any:
        info = look(path, **more)
        if path != b"b":
            return info
        fields = {name: getattr(info, name) for name in dir(info) if name.startswith("st_")}
        return SimpleNamespace(**{**fields, "st_dev": info.st_dev + 1})

    monkeypatch.setattr(os, "stat", elsewhere)
    left = []
    chooser = FileSelector(FileRules(one_file_system=wanted, excludes=("none",)), 0)
    found = paths(tree, chooser=chooser, on_excluded=lambda *row: left.append(row))
    assert (b"a/b" in found) and (b"a/x" in found) and b"a/b/c" not in found
    assert left == ([(b"a/b", 0, "on another file system")] if wanted else [])
    assert WalkRules(chooser=chooser).one_file_system is wanted
    assert WalkRules().one_file_system is False
