"""Restores in place on another host: as here, and cut off at any point as before or as after."""

from __future__ import annotations

import os
import shutil
import threading
from pathlib import Path
from typing import Any

import pytest
from in_place import SIDE, bundled, changes, disturb, restore, side_order, sides
from running import until
from trees import picture

from fasciculus.contracts.orders import DropOrder, RecoverOrder, UndoOrder
from fasciculus.core.errors import FasciculusError, SettingError
from fasciculus.core.restore.actions import Action
from fasciculus.hosts import remote_scripts
from fasciculus.hosts.side_folder import NAME
from fasciculus.hosts.ssh.host import SshHost
from fasciculus.hosts.ssh.side import SshSide
from fasciculus.worker.restore.in_place import task as module


@pytest.fixture
def kept(nights: Any, openssh: Any, tmp_path: Path) -> Any:
    """A bundle of an awkward tree, which is on a host over SSH."""
    found = bundled(nights)
    found.host = SshHost(openssh.host(), tmp_path)
    yield found
    found.host.close()


@pytest.mark.parametrize("seed", range(4))
def test_a_disturbed_tree_is_as_in_the_bundle_and_undone_as_before(kept: Any, seed: Any) -> None:
    saved = picture(kept.tree)
    found, plan, log = restore(kept, plan_only=True)
    assert plan == [] and found.plan.changes == 0, "nothing has changed yet"
    disturb(kept.tree, seed)
    before = picture(kept.tree)
    planned, plan, _ = restore(kept, plan_only=True, remove_extra=True)
    assert picture(kept.tree) == before and sides(kept) == [] and planned.plan.free_bytes
    found, again, log = restore(kept, remove_extra=True)
    assert (found.outcome, again) == ("done", plan), log
    assert picture(kept.tree) == saved
    assert side_order(kept, UndoOrder).state == "undone" and picture(kept.tree) == before
    assert side_order(kept, DropOrder).state == "gone" and sides(kept) == []


def test_parts_and_what_is_missing(kept: Any) -> None:
    saved = picture(kept.tree)
    before = changes(kept)
    _, plan, _ = restore(kept, paths=["site/index.php"])
    assert [(line.action, line.path) for line in plan] == [(Action.REPLACE, "site/index.php")]
    now = picture(kept.tree)
    assert {key for key in now if now[key] != before[key]} == {b"site/index.php"}
    assert side_order(kept, UndoOrder).state == "undone" and picture(kept.tree) == before
    shutil.rmtree(kept.tree)
    assert restore(kept, side="all")[0].outcome == "done" and picture(kept.tree) == saved
    page = kept.tree / "site/about.html"
    moment = page.stat().st_mtime_ns
    page.write_text("ABOUT.html as it was\n")
    os.utime(page, ns=(moment, moment))
    _, plan, _ = restore(kept, side="read", compare_contents=True)
    assert [line.why for line in plan if line.path == "site/about.html"] == ["its contents"]


def dying(monkeypatch: pytest.MonkeyPatch, step: int, marker: Path, then: str) -> None:
    """Let the program on the host do something at one of its steps, once."""
    whole = remote_scripts.program_text

    def text(name: str) -> str:
        found = whole(name)
        if name != "side_program.py":
            return found
        hook = (
            "_plain = Switch._step\n"
            "def _hooked(self):\n"
            "    _plain(self)\n"
            f"    if self._steps == {step} and not os.path.exists({str(marker)!r}):\n"
            f"        open({str(marker)!r}, 'w').close()\n"
            f"        {then}\n"
            "Switch._step = _hooked\n"
        )
        return found.replace('if __name__ == "__main__":', hook + 'if __name__ == "__main__":')

    monkeypatch.setattr(remote_scripts, "program_text", text)


def test_a_program_that_is_killed_at_any_step_is_started_again(
    kept: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    saved, step = picture(kept.tree), 0
    while True:
        # Every third one; the local tests stop before each.
        step += 3
        before, marker = changes(kept), tmp_path / f"died-{step}"
        with monkeypatch.context() as patch:
            dying(patch, step, marker, "os._exit(9)")
            found, _, log = restore(kept, remove_extra=True)
        assert found.outcome == "done" and picture(kept.tree) == saved, (step, log)
        if not marker.exists():
            break
        with monkeypatch.context() as patch:
            dying(patch, step, tmp_path / f"undo-died-{step}", "os._exit(9)")
            try:
                side_order(kept, UndoOrder)
            except FasciculusError:
                assert side_order(kept, RecoverOrder).state == "undone"
        assert picture(kept.tree) == before, step
        side_order(kept, DropOrder)
        restore(kept, side="back", remove_extra=True)
        shutil.rmtree(kept.root / os.fsdecode(NAME) / "back")
    assert step > 10


def test_a_connection_that_is_cut_during_the_switch_lets_the_host_finish(
    kept: Any, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    saved = picture(kept.tree)
    changes(kept)
    marker, go = tmp_path / "reached", tmp_path / "go"
    wait = (
        f"import time; [time.sleep(0.01) for _ in range(3000) if not os.path.exists({str(go)!r})]"
    )
    dying(monkeypatch, 2, marker, wait)

    def cut() -> None:
        until(marker.exists)
        # The worker loses its connection; the program on the host continues.
        kept.host.close()
        go.touch()

    thread = threading.Thread(target=cut)
    thread.start()
    found, _, log = restore(kept, remove_extra=True)
    thread.join()
    assert found.outcome == "done" and found.has_set_aside, log
    assert picture(kept.tree) == saved and sides(kept) == [SIDE]


def test_a_host_that_never_answers_again_can_be_undone_later(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = changes(kept)
    monkeypatch.setattr(module, "_PAUSES", (0,))

    def lost(self: Any) -> Any:
        raise self._lost()

    with monkeypatch.context() as patch:
        patch.setattr(SshSide, "switch", lost)
        patch.setattr(SshSide, "recover", lost)
        found, _, log = restore(kept, remove_extra=True)
    assert (found.outcome, found.has_set_aside) == ("failed", True)
    assert any("did not answer again" in line for line in log)
    assert side_order(kept, UndoOrder).state == "gone" and picture(kept.tree) == before


def test_a_host_that_lies_costs_the_restore_and_nothing_else(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = changes(kept)
    for program in ("print('x' * 9)", "import os; os.write(1, b'd\\0' * 15)", "raise SystemExit"):
        with monkeypatch.context() as patch:
            patch.setattr(
                "fasciculus.hosts.ssh.side.program",
                lambda name, *words, text=program: f"python3 -c {remote_scripts.shlex.quote(text)}",
            )
            with pytest.raises(FasciculusError):
                restore(kept)
    assert picture(kept.tree) == before and sides(kept) == []


def test_a_host_without_an_interpreter_is_refused_with_a_way_out(
    kept: Any, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(SshHost, "has_interpreter", False)
    with pytest.raises(SettingError, match=r"no Python.*\n*") as caught:
        restore(kept)
    assert caught.value.field == "in_place"
