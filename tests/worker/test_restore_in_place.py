"""Restores in place: what is planned, what changes, what a crash leaves, and undoing."""

from __future__ import annotations

import errno
import os
import shutil
import sqlite3
import subprocess
from contextlib import closing
from typing import Any

import msgspec
import pytest
from in_place import SIDE, bundled, changes, disturb, restore, side_order, sides
from trees import picture

from fasciculus.contracts.orders import DropOrder, RecoverOrder, UndoOrder
from fasciculus.core.errors import DamagedError, MissingError, SettingError
from fasciculus.core.restore.actions import Action
from fasciculus.hosts import switch
from fasciculus.hosts.local_side import LocalSide
from fasciculus.hosts.side_folder import NAME, side_folder
from fasciculus.hosts.switch import Switch


@pytest.fixture
def kept(nights: Any) -> Any:
    """A bundle of an awkward tree."""
    return bundled(nights)


# Before and after ---------------------------------------------------------------------


@pytest.mark.parametrize("seed", range(12))
def test_a_disturbed_tree_is_as_in_the_bundle_and_undone_as_before(kept: Any, seed: Any) -> None:
    saved = picture(kept.tree)
    disturb(kept.tree, seed)
    before = picture(kept.tree)
    found, plan, log = restore(kept, remove_extra=True)
    assert found.outcome == "done", (found, log)
    assert picture(kept.tree) == saved
    assert found.plan.changes - found.plan.times == len(plan)
    again, plan, _ = restore(kept, side="restore-2", remove_extra=True)
    assert (again.plan.changes, plan, again.has_set_aside) == (0, [], False)
    undone = side_order(kept, UndoOrder)
    assert (undone.outcome, undone.state, undone.changed) == ("done", "undone", [])
    assert picture(kept.tree) == before
    with pytest.raises(SettingError, match="undone already"):
        side_order(kept, UndoOrder)
    assert side_order(kept, DropOrder).state == "gone" and sides(kept) == []
    with pytest.raises(MissingError):
        side_order(kept, UndoOrder)


def test_a_plan_changes_nothing_and_says_what_would_happen(kept: Any) -> None:
    (kept.tree / "site/index.php").write_text("hacked\n")
    (kept.tree / "site/style.css").unlink()
    (kept.tree / "site/shell.php").write_text("x")
    (kept.tree / "site/about.html").chmod(0o600)
    before = picture(kept.tree)
    found, plan, log = restore(kept, plan_only=True)
    assert picture(kept.tree) == before and sides(kept) == []
    rows = {line.path: (line.action, line.bytes, line.before, line.why) for line in plan}
    size = len("index.php as it was\n")
    assert rows.pop("site/index.php") == (Action.REPLACE, size, 7, "its size")
    assert rows.pop("site/style.css") == (Action.CREATE, size, 0, "")
    assert rows.pop("site/about.html")[0::3] == (Action.ATTRIBUTES, "mode")
    assert not rows
    summary = found.plan
    assert (summary.created, summary.replaced, summary.removed, summary.attributes) == (1, 1, 0, 1)
    assert (summary.write_bytes, summary.aside_bytes) == (2 * size, 7)
    assert summary.free_bytes and any(line.startswith("plan: 1 entry created") for line in log)
    *_, plan, _ = restore(kept, plan_only=True, remove_extra=True)
    assert [line.path for line in plan if line.action == Action.REMOVE] == ["site/shell.php"]


def test_only_chosen_paths_change_and_their_parents_keep_their_times(kept: Any) -> None:
    shutil.rmtree(kept.tree / "site")
    (kept.tree / "plain").write_text("changed")
    before = picture(kept.tree)
    found, plan, _ = restore(kept, paths=["site/index.php"])
    assert [(line.action, line.path) for line in plan] == [
        (Action.CREATE, "site"),
        (Action.CREATE, "site/index.php"),
    ]
    after = picture(kept.tree)
    assert found.outcome == "done" and after.keys() - before.keys() == {b"site", b"site/index.php"}
    assert {path: after[path] for path in before} == before


@pytest.mark.parametrize(
    ("conflicts", "index", "style", "beside"),
    [
        ("replace", "index.php as it was\n", "style.css as it was\n", False),
        ("skip", "mine\n", "old\n", False),
        ("newer", "mine\n", "style.css as it was\n", False),
        ("both", "mine\n", "old\n", True),
    ],
)
def test_conflicts_are_settled_by_choice(
    kept: Any, conflicts: Any, index: Any, style: Any, beside: Any
) -> None:
    (kept.tree / "site/index.php").write_text("mine\n")
    (kept.tree / "site/style.css").write_text("old\n")
    os.utime(kept.tree / "site/style.css", ns=(1, 1))
    assert restore(kept, conflicts=conflicts)[0].outcome == "done"
    assert (kept.tree / "site/index.php").read_text() == index
    assert (kept.tree / "site/style.css").read_text() == style
    others = sorted(kept.tree.glob("site/index.php.from-*"))
    assert [path.read_text() for path in others] == ["index.php as it was\n"] * beside


def test_contents_are_compared_on_demand(kept: Any) -> None:
    path = kept.tree / "site/index.php"
    info = path.stat()
    path.write_text("INDEX.PHP as it was\n")
    os.utime(path, ns=(info.st_atime_ns, info.st_mtime_ns))
    assert restore(kept, plan_only=True)[0].plan.changes == 0
    found, plan, _ = restore(kept, compare_contents=True)
    assert [(line.path, line.why) for line in plan] == [("site/index.php", "its contents")]
    assert path.read_text() == "index.php as it was\n" and found.plan.changes == 1


def test_what_the_job_excludes_and_own_folders_are_never_extra(kept: Any) -> None:
    for name in ("site/error.log", "own/records", "extra"):
        (kept.tree / name).parent.mkdir(exist_ok=True)
        (kept.tree / name).write_text("x")
    own = [str(kept.tree / "own")]
    rules = {"excludes": ["*.log"]}
    _, plan, _ = restore(kept, remove_extra=True, own_folders=own, rules=rules)
    assert [line.path for line in plan if line.action == Action.REMOVE] == ["extra"]
    assert (kept.tree / "own/records").exists() and (kept.tree / "site/error.log").exists()


def test_sqlite_databases_come_back_with_their_logs_aside(kept: Any) -> None:
    """One that is not chosen, or did not change, keeps its log."""
    path, log = kept.tree / "site/shop.sqlite", kept.tree / "site/shop.sqlite-wal"
    with closing(sqlite3.connect(path)) as db:
        db.execute("CREATE TABLE t (v)")
        db.execute("INSERT INTO t VALUES ('as it was')")
        db.commit()
    database = {"engine": "sqlite", "name": "shop", "path": "site/shop.sqlite"}
    kept.night(databases=[database], contents=["files", "databases"])
    log.write_bytes(b"")
    for options in ({}, {"contents": ["files"]}):
        _, plan, _ = restore(kept, remove_extra=True, plan_only=True, **options)
        assert [line.path for line in plan] == [], options
    with closing(sqlite3.connect(path)) as db:
        db.execute("UPDATE t SET v = 'changed since, and longer than before'")
        db.commit()
    log.write_bytes(b"what a crash left")
    before = picture(kept.tree)
    files = {"contents": ["files"], "remove_extra": True, "plan_only": True}
    assert restore(kept, **files)[1] == []
    found, plan, _ = restore(kept)
    assert [(line.action, line.path) for line in plan] == [
        (Action.REPLACE, "site/shop.sqlite"),
        (Action.REMOVE, "site/shop.sqlite-wal"),
    ]
    assert found.outcome == "done" and not log.exists()
    with closing(sqlite3.connect(path)) as db:
        assert db.execute("SELECT v FROM t").fetchall() == [("as it was",)]
    assert side_order(kept, UndoOrder, force=True).state == "undone"
    assert picture(kept.tree) == before


def test_what_the_bundle_does_not_hold_removes_nothing(kept: Any) -> None:
    before = picture(kept.tree)
    for chosen in ({"paths": ["no/such"]}, {"contents": ["mail"]}):
        with pytest.raises(SettingError, match="Nothing in the bundle"):
            restore(kept, remove_extra=True, **chosen)
    assert picture(kept.tree) == before
    assert restore(kept, remove_extra=True, contents=[])[0].plan.changes == 0, "none means all"


def test_a_home_that_is_gone_comes_back(kept: Any) -> None:
    """Also only a part of it."""
    saved = picture(kept.tree)
    shutil.rmtree(kept.tree)
    planned, plan, _ = restore(kept, plan_only=True)
    assert planned.plan.created == len(saved) - 1 and not kept.tree.exists()
    assert {line.action for line in plan} <= {Action.CREATE, Action.ATTRIBUTES}
    assert restore(kept)[0].outcome == "done" and picture(kept.tree) == saved
    shutil.rmtree(kept.tree)
    assert restore(kept, side="part", paths=["site/index.php"])[0].outcome == "done"
    assert picture(kept.tree).keys() == {b"", b"site", b"site/index.php"}


def test_all_that_goes_with_a_folder_is_in_the_plan(kept: Any) -> None:
    (kept.tree / "extra/deep").mkdir(parents=True)
    (kept.tree / "extra/deep/file").write_bytes(b"12345")
    (kept.tree / "site/style.css").unlink()
    (kept.tree / "site/style.css").mkdir()
    (kept.tree / "site/style.css/inside").write_bytes(b"123")
    found, plan, _ = restore(kept, remove_extra=True, plan_only=True)
    gone = {line.path: line.before for line in plan if line.action == Action.REMOVE}
    assert gone.keys() == {"extra", "extra/deep", "extra/deep/file", "site/style.css/inside"}
    assert (found.plan.removed, found.plan.aside_bytes) == (4, 8)


# Trouble --------------------------------------------------------------------------------


class CutError(BaseException):
    """The machine goes down."""


def cut_at(step: Any, monkeypatch: pytest.MonkeyPatch) -> Any:
    """Let a switch stop before one of its changes; return a list of the steps that came."""
    steps, whole = [], Switch.__init__

    def begin(self: Any, root: Any, home: Any, side: Any, on_step: Any = None) -> None:
        def count(number: Any) -> None:
            steps.append(number)
            if number == step:
                raise CutError

        whole(self, root, home, side, count)

    monkeypatch.setattr(Switch, "__init__", begin)
    return steps


def test_a_switch_that_is_cut_anywhere_is_finished(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    saved, step = picture(kept.tree), 0
    while True:
        step += 1
        before = changes(kept)
        with monkeypatch.context() as patch:
            steps = cut_at(step, patch)
            try:
                restore(kept, remove_extra=True)
            except CutError:
                assert len(steps) == step
            else:
                break
        assert side_order(kept, RecoverOrder).state == "kept"
        assert picture(kept.tree) == saved, step
        assert side_order(kept, UndoOrder).state == "undone" and picture(kept.tree) == before
        side_order(kept, DropOrder)
        restore(kept, side="back", remove_extra=True)
        shutil.rmtree(kept.root / os.fsdecode(NAME) / "back")
    assert step > 10 and picture(kept.tree) == saved


def test_what_comes_between_two_steps_is_kept(kept: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    """The account's owner goes on working while the service is down."""
    changes(kept)
    for step in range(1, 100):
        with monkeypatch.context() as patch, pytest.raises(CutError):
            cut_at(step, patch)
            restore(kept, paths=["site/index.php"])
        if not (kept.tree / "site/index.php").exists():
            break
        assert side_order(kept, RecoverOrder).state == "kept"
        side_order(kept, DropOrder)
        (kept.tree / "site/index.php").write_text("hacked\n")
    (kept.tree / "site/index.php").write_text("meanwhile\n")
    found = side_order(kept, RecoverOrder)
    assert (found.state, found.outcome) == ("kept", "warned")
    side = kept.root / os.fsdecode(NAME) / SIDE
    assert (kept.tree / "site/index.php").read_text() == "index.php as it was\n"
    assert (side / "late/site/index.php").read_text() == "meanwhile\n"
    assert side_order(kept, UndoOrder).state == "undone"
    assert (kept.tree / "site/index.php").read_text() == "hacked\n"


def test_an_undo_that_is_cut_anywhere_is_finished(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    saved, step = picture(kept.tree), 0
    while True:
        step += 1
        before = changes(kept)
        assert restore(kept, remove_extra=True)[0].outcome == "done"
        with monkeypatch.context() as patch:
            cut_at(step, patch)
            try:
                side_order(kept, UndoOrder)
            except CutError:
                pass
            else:
                break
        assert side_order(kept, RecoverOrder).state == "undone" and picture(kept.tree) == before
        side_order(kept, DropOrder)
        restore(kept, side="back", remove_extra=True)
        shutil.rmtree(kept.root / os.fsdecode(NAME) / "back")
    assert step > 10 and picture(kept.tree) == before != saved


def test_cut_before_the_switch_nothing_has_changed(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = changes(kept)

    def cut(*args: Any) -> None:
        raise CutError

    monkeypatch.setattr(LocalSide, "switch", cut)
    with pytest.raises(CutError):
        restore(kept, remove_extra=True)
    assert picture(kept.tree) == before and sides(kept) == [SIDE]
    assert side_order(kept, RecoverOrder).state == "gone"
    assert picture(kept.tree) == before and sides(kept) == []
    assert side_order(kept, RecoverOrder).state == "gone", "there is nothing any more"


def test_a_full_disk_in_the_middle_is_said_and_undone(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = changes(kept)
    whole, count = os.rename, []

    def rename(*names: Any, **folders: Any) -> Any:
        count.append(names)
        if len(count) == 5 and folders:
            raise OSError(errno.ENOSPC, "No space left on device")
        return whole(*names, **folders)

    with monkeypatch.context() as patch:
        patch.setattr(switch.os, "rename", rename)
        found, _, log = restore(kept, remove_extra=True)
    assert (found.outcome, found.has_set_aside) == ("failed", True)
    assert "No space left" in " ".join(log) and any("restores undo" in line for line in log)
    assert side_order(kept, UndoOrder, force=True).state == "undone"
    assert picture(kept.tree) == before


def test_what_cannot_be_replaced_stays(kept: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    """Set aside, it comes back when the move of its replacement fails."""
    before, whole, moves = changes(kept), os.rename, []

    def rename(*names: Any, **folders: Any) -> Any:
        if names[0] == b"index.php":
            moves.append(names)
        if len(moves) == 2:
            moves.append(names)
            raise OSError(errno.EPERM, "Operation not permitted")
        return whole(*names, **folders)

    with monkeypatch.context() as patch:
        patch.setattr(switch.os, "rename", rename)
        found, _, log = restore(kept, paths=["site/index.php"])
    assert found.outcome in ("warned", "failed") and "site/index.php" in found.error + str(log)
    assert (kept.tree / "site/index.php").read_text() == "hacked\n"
    side_order(kept, UndoOrder)
    assert picture(kept.tree) == before


def test_damage_on_the_store_changes_nothing(kept: Any) -> None:
    changes(kept)
    (kept.tree / "big").unlink()
    before = picture(kept.tree)
    for piece in (kept.root / "attic").rglob("*.tar.zst"):
        kept.flip(piece)
    with pytest.raises(DamagedError, match="Nothing was changed"):
        restore(kept)
    assert picture(kept.tree) == before and sides(kept) == []


def test_what_changed_since_is_named_before_it_is_undone(kept: Any) -> None:
    changes(kept)
    restore(kept, remove_extra=True)
    (kept.tree / "site/index.php").write_text("edited since\n")
    (kept.tree / "extra").write_text("made again")
    found = side_order(kept, UndoOrder)
    assert (found.outcome, found.state) == ("failed", "kept")
    assert sorted(found.changed) == ["extra", "site/index.php"] and "--force" in found.error
    assert (kept.tree / "site/index.php").read_text() == "edited since\n"
    assert side_order(kept, UndoOrder, force=True).state == "undone"
    assert (kept.tree / "site/index.php").read_text() == "hacked\n"
    assert (kept.tree / "extra/file").read_text() == "x"
    undone = kept.root / os.fsdecode(NAME) / SIDE / "undone"
    assert (undone / "site/index.php").read_text() == "edited since\n"


def test_what_changed_in_a_folder_that_came_back_is_named_too(kept: Any) -> None:
    shutil.rmtree(kept.tree / "site")
    restore(kept)
    (kept.tree / "site/about.html").write_text("edited since\n")
    assert side_order(kept, UndoOrder).changed == ["site/about.html"]


def test_a_folder_of_any_depth_goes_and_comes_back(kept: Any) -> None:
    """Deeper than calls may be nested, and than a path may be long."""
    here = os.open(kept.tree / "site", os.O_RDONLY)
    for _ in range(1500):
        os.mkdir("deep", dir_fd=here)
        further = os.open("deep", os.O_RDONLY, dir_fd=here)
        os.close(here)
        here = further
    os.close(here)
    found, plan, log = restore(kept, remove_extra=True)
    assert found.outcome == "done" and len(plan) == 1500, log
    assert not (kept.tree / "site/deep").exists()
    assert side_order(kept, UndoOrder).state == "undone" and (kept.tree / "site/deep").exists()
    restore(kept, remove_extra=True, side="again")
    assert side_order(kept, DropOrder).state == "gone"
    subprocess.run(["rm", "-rf", "--", kept.root / os.fsdecode(NAME)], check=True)


def test_a_folder_exchanged_for_a_link_leads_nowhere(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its owner does that between the plan and the switch."""
    outside = kept.root / "outside"
    outside.mkdir()
    (outside / "index.php").write_text("not theirs")
    changes(kept)
    whole = LocalSide.switch

    def exchange(self: Any) -> Any:
        shutil.rmtree(kept.tree / "site")
        (kept.tree / "site").symlink_to(outside)
        return whole(self)

    monkeypatch.setattr(LocalSide, "switch", exchange)
    found, _, _ = restore(kept)
    assert found.outcome == "failed" and "site/index.php" in found.error
    assert (outside / "index.php").read_text() == "not theirs" and os.listdir(outside) == [
        "index.php"
    ]
    assert (outside.stat().st_mode & 0o777, outside.stat().st_uid) == (0o755, os.geteuid())


def test_nothing_is_set_aside_where_its_owner_could_take_it(kept: Any) -> None:
    """The side folder is next to the home, in a folder that only root can change."""
    for uid, mode, is_ours in ((0, 0o755, True), (12345, 0o755, False), (0, 0o777, False)):
        home = kept.root / f"homes-{uid}-{mode:o}" / "millpond"
        home.mkdir(parents=True)
        home.parent.chmod(mode)
        os.chown(home.parent, uid, 0)
        found = side_folder(os.fsencode(home), b"", b"x")
        assert (os.fsencode(home.parent) in found) == is_ours


def test_hard_links_are_kept_together(kept: Any) -> None:
    """Also to a file that stays as it is."""
    os.unlink(kept.tree / "zz-hard")
    (kept.tree / "zz-hard").write_text("another file")
    saved = os.stat(kept.tree / "plain").st_ino
    assert restore(kept, paths=["zz-hard", "plain"])[0].outcome == "done"
    assert os.stat(kept.tree / "zz-hard").st_ino == os.stat(kept.tree / "plain").st_ino == saved


def test_a_plan_line_is_open_json(kept: Any) -> None:
    changes(kept)
    restore(kept, plan_only=True)
    rows = [msgspec.json.decode(line) for line in (kept.root / "plan.jsonl").open("rb")]
    assert {row["action"] for row in rows} <= set(Action) and rows
