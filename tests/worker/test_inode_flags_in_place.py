"""Immutable files and folders in a restore in place: exchanged, set, undone and dropped."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from in_place import bundled, restore, side_order, sides
from trees import picture

from fasciculus.contracts.orders import DropOrder, RecoverOrder, UndoOrder
from fasciculus.core.bundle.inode_flags import read_flags
from fasciculus.hosts import flag_log
from fasciculus.hosts.ssh.host import SshHost
from fasciculus.hosts.switch import Switch


class CutError(BaseException):
    """The machine goes down."""


def chattr(change: Any, *paths: Any) -> None:
    subprocess.run(["chattr", change, *map(str, paths)], check=True, capture_output=True)


def look(tree: Path) -> Any:
    """Return everything about a tree, with the inode flags."""
    flags = {}
    for path in [tree, *tree.rglob("*")]:
        if not path.is_symlink() and (path.is_dir() or path.is_file()):
            descriptor = os.open(path, os.O_RDONLY)
            flags[str(path)] = read_flags(descriptor)
            os.close(descriptor)
    return picture(tree), flags


@pytest.fixture
def kept(nights: Any) -> Iterator[Any]:
    """A bundle of a tree with an immutable file, and one in a folder that only grows."""
    found = bundled(nights)
    (found.tree / "site/old.log").write_text("log")
    (found.tree / "dir.conf").write_text("settings")
    try:
        chattr("+i", found.tree / "dir.conf", found.tree / "site/index.php")
    except subprocess.CalledProcessError:
        pytest.skip("nobody may change flags here")
    chattr("+d", found.tree / "plain")
    chattr("+a", found.tree / "site")
    found.night()
    yield found
    subprocess.run(["chattr", "-R", "-f", "-ia", found.root], capture_output=True)


def intrude(tree: Path) -> None:
    """Change the tree as an intruder who was root: their files cannot be changed."""
    chattr("-a", tree / "site")
    chattr("-i", tree / "site/index.php", tree / "dir.conf")
    (tree / "site/index.php").write_text("hacked\n")
    (tree / "site/old.log").unlink()
    (tree / "site/old.log").symlink_to("/etc/passwd")
    (tree / "site/about.html").chmod(0o600)
    (tree / "shells").mkdir()
    (tree / "shells/shell.php").write_text("x")
    chattr("+i", tree / "site/index.php", tree / "site/about.html", tree / "shells/shell.php")
    chattr("+i", tree / "site", tree / "shells", tree)


def release(tree: Path) -> None:
    """Take the intruder's flags away, so that the next one can begin."""
    subprocess.run(["chattr", "-R", "-f", "-ia", tree], capture_output=True)


@pytest.mark.parametrize("place", ["here", "over SSH"])
def test_what_an_intruder_locked_is_exchanged_and_undone(
    kept: Any, place: Any, request: Any, tmp_path: Path
) -> None:
    if place == "over SSH":
        kept.host = SshHost(request.getfixturevalue("openssh").host(), tmp_path)
    saved = look(kept.tree)
    intrude(kept.tree)
    before = look(kept.tree)
    found, plan, log = restore(kept, remove_extra=True)
    assert found.outcome == "done", log
    why = {line.path: line.why for line in plan}
    assert why["dir.conf"] == "inode flags" and why["site/index.php"] == "its size"
    chattr("-i", kept.tree, kept.tree / "site", kept.tree / "site/about.html")
    assert look(kept.tree) == saved, "other flags stay, as other attributes do"
    chattr("+i", kept.tree, kept.tree / "site", kept.tree / "site/about.html")
    _, again, _ = restore(kept, side="again", remove_extra=True, plan_only=True)
    assert again == []
    undone = side_order(kept, UndoOrder, force=True)
    assert (undone.state, undone.outcome, undone.error) == ("undone", "done", "")
    assert look(kept.tree) == before
    assert side_order(kept, DropOrder).state == "gone" and sides(kept) == []
    if place == "over SSH":
        kept.host.close()


@pytest.mark.parametrize("where", ["before a step", "unlocked", "renamed"])
def test_cut_anywhere_the_flags_are_as_they_should_be(
    kept: Any, monkeypatch: pytest.MonkeyPatch, where: Any
) -> None:
    for step in range(1, 100):
        intrude(kept.tree)
        before = look(kept.tree)
        with monkeypatch.context() as patch:
            cut_at(step, where, patch)
            try:
                restore(kept, remove_extra=True)
            except CutError:
                pass
            else:
                break
        assert side_order(kept, RecoverOrder).state == "kept"
        _, plan, _ = restore(kept, side="again", remove_extra=True, plan_only=True)
        assert plan == [], step
        assert side_order(kept, UndoOrder, force=True).state == "undone"
        assert look(kept.tree) == before, step
        side_order(kept, DropOrder)
        release(kept.tree)
        restore(kept, side="back", remove_extra=True)
        side_order(kept, DropOrder, side="back")
    assert step > 3


def cut_at(step: Any, where: Any, patch: pytest.MonkeyPatch) -> None:
    """Stop before a change; or when a flag was taken away; or before it is set again."""
    count = iter(range(1, 10_000))

    def begin(self: Any, root: Any, home: Any, side: Any, on_step: Any = None) -> None:
        def at(number: Any) -> None:
            if number == step:
                raise CutError

        whole(self, root, home, side, at)

    def lost(descriptor: Any, names: Any) -> None:
        if where == "unlocked":
            replace(descriptor, names)
        if next(count) == step:
            raise CutError
        if where == "renamed":
            give(descriptor, names)

    whole, replace, give = Switch.__init__, flag_log.replace_flags, flag_log.set_flags
    if where == "before a step":
        patch.setattr(Switch, "__init__", begin)
    elif where == "unlocked":
        patch.setattr(flag_log, "replace_flags", lost)
    else:
        patch.setattr(flag_log, "set_flags", lost)
