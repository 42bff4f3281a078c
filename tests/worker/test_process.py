"""A worker's process: what its task may take, and how it says what ended it."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

#: A worker with another task in place of an order's; it prints its events.
_WORKER = """
import os, sys
from types import SimpleNamespace
from fasciculus.worker import process

def task(order, emitter, stop, connections):
    {task}

full = {full!r}
statvfs = os.statvfs
no_room = SimpleNamespace(f_bavail=0, f_frsize=4096)
os.statvfs = lambda path: no_room if path == full else statvfs(path)
process.carry_out = task
process.from_line = lambda line, identity: SimpleNamespace(spool=sys.argv[1], target="", listing="")
sys.exit(process.main(None))
"""


def ended(task: str, spool: Any, full: str = "") -> tuple[int, str]:
    """The exit code of a worker, and why it says it failed."""
    with subprocess.Popen(
        [sys.executable, "-c", _WORKER.format(task=task, full=full), str(spool)],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
    ) as worker:
        assert worker.stdin is not None and worker.stdout is not None
        worker.stdin.write(b"{}\n")
        worker.stdin.flush()
        said = [json.loads(line) for line in worker.stdout]
        code = worker.wait(60)
    return code, said[-1]["result"]["error"]


def test_a_task_has_a_bound_of_memory(tmp_path: Path) -> None:
    code, said = ended("return bytearray(2 << 30)", tmp_path)
    assert code == 1 and said == "The task needed more than 1024 MiB of memory and was ended."


@pytest.mark.parametrize("named", [True, False])
def test_a_full_disk_is_named_with_its_place_and_the_way_out(tmp_path: Path, named: Any) -> None:
    spool = tmp_path / "spool"
    spool.mkdir()
    write = "os.write(os.open('/dev/full', os.O_WRONLY), b'x')"
    if named:
        write = f"raise OSError(28, 'No space left on device', {str(spool / 'piece')!r})"
    code, said = ended(write, spool, full=str(spool))
    place = spool / "piece" if named else spool
    assert code == 1 and said.startswith(f"The disk of {place} is full. Free space there;"), said
    assert "FASCICULUS_SPOOL" in said
