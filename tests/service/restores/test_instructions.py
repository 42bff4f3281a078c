"""The instructions of a bundle, followed as they stand."""

from __future__ import annotations

import shlex
import subprocess
from pathlib import Path
from typing import Any

import pytest
from running import folder_stores, run, set_up, sftp_store, small_account
from trees import picture


@pytest.mark.parametrize("sealed", [False, True])
def test_a_full_bundle_comes_back_by_the_commands_that_are_shown(
    running: Any, tmp_path: Path, sealed: Any
) -> None:
    home = tmp_path / "millpond"
    with running.client() as client:
        account = small_account(tmp_path, "millpond")
        (home / "it's").mkdir()
        (home / "it's/a b.html").write_text("x")
        keys = {}
        if sealed:
            made = client.keys_make()
            (tmp_path / "key").write_text(made.identity + "\n")
            keys = {"recipients": [made.recipient]}
        set_up(client, [account], folder_stores(tmp_path, "attic"), **keys)
        run(client, "nightly")
        (bundle,) = client.bundles_list().items
        steps = client.bundles_instructions(bundle.id).by_hand
    commands = "\n".join(command for step in steps for command in step.commands)
    back = tmp_path / "restored"
    commands = commands.replace("/srv/restored", shlex.quote(str(back)))
    commands = commands.replace("KEY-FILE", shlex.quote(str(tmp_path / "key")))
    done = subprocess.run(["bash", "-euc", commands], capture_output=True, text=True)
    assert done.returncode == 0, done
    saved, came = picture(home), picture(back / "files")
    assert came.keys() == saved.keys()
    # Times of folders change with what is put into them.
    files = [path for path in saved if path.endswith(b".html")]
    assert files and all(came[path] == saved[path] for path in files)


def test_each_kind_of_bundle_says_what_it_needs(
    running: Any, stand_in: Any, tmp_path: Path
) -> None:
    with running.client() as client:
        account = small_account(tmp_path, "millpond")
        set_up(client, [account], [sftp_store(stand_in)], mode="incremental")
        for _ in range(2):
            run(client, "nightly")
        bundle = client.bundles_list().items[0]
        found = client.bundles_instructions(bundle.id)
        assert found.by_hand[0].title.startswith("Fetch") and "boathouse" in found.by_hand[0].note
        assert any("bring-back.py" in row.commands[0] for row in found.by_hand[1:] if row.commands)
        assert stand_in.password not in found.model_dump_json()
    shown = running.cli("bundles", "show", "millpond", "--how")
    assert shown.returncode == 0 and f"fasciculus restore {bundle.id} --in-place" in shown.stdout
    assert "1. Fetch the bundle" in shown.stdout
