"""The direction of imports, and what no file of the repository may hold."""

from __future__ import annotations

import json
import re
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent


def test_imports_go_one_way() -> None:
    found = subprocess.run(
        [str(Path(sys.executable).with_name("lint-imports"))],
        cwd=ROOT,
        capture_output=True,
        text=True,
    )
    assert found.returncode == 0, found.stdout


def test_no_download_address_stands_in_a_lock_file() -> None:
    lock = json.loads((ROOT / "console/package-lock.json").read_text())
    assert not [name for name, package in lock["packages"].items() if "resolved" in package]
    pins = (ROOT / "constraints.txt").read_text().splitlines()
    assert all(re.fullmatch(r"[A-Za-z0-9._-]+==[\w.]+", line) for line in pins)


def test_a_worker_imports_nothing_that_its_order_may_not_need() -> None:
    """Each of these takes as long as a small task, and those of the kinds come with the kinds."""
    script = "import sys, fasciculus.worker.dispatch; print(*sys.modules)"
    loaded = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True
    ).stdout.split()
    dear = ["pydantic", "importlib.metadata", "paramiko", "boto3", "httpx", "pymysql", "flask"]
    assert not {*dear} & {*loaded}, "import it where it is used"


def test_a_command_that_reads_a_list_checks_nothing_that_the_service_has_checked() -> None:
    """What it would need for that takes a third of the time of the libraries that it does need."""
    script = (
        "import sys; from fasciculus import models; from fasciculus.client import Client; "
        "from fasciculus.models.texts import ANSWERED; "
        "models.Page[models.Job].model_validate_json(sys.argv[1], context=ANSWERED); "
        "print(*sys.modules)"
    )
    job = {"name": "nightly", "stores": ["attic"], "timetable": "daily 02:00", "keep": "7 newest"}
    shown = {**job, "summary": "", "covers": 0, "next_start": None}
    page = json.dumps({"items": [shown], "total": 1})
    loaded = subprocess.run(
        [sys.executable, "-c", script, page], capture_output=True, text=True, check=True
    ).stdout.split()
    dear = ["core.schedule", "core.retention", "core.discovery", "core.bundle", "config"]
    assert not {f"fasciculus.{name}" for name in dear} & {*loaded}
