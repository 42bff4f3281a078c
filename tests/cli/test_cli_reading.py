"""Reading commands: they print what is in the records, for people and for programs."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from running import Service, folder_stores, run, set_up, small_account
from typer.testing import CliRunner

from fasciculus.cli.main import app
from fasciculus.models import RestoreStart


@pytest.fixture
def valley(running: Service, tmp_path: Path) -> Iterator[Any]:
    """Two nights of one account on two stores, a report that waits, a restore."""
    account = small_account(tmp_path, "millpond", files=4)
    stores = folder_stores(tmp_path, "attic", "cellar")
    with running.client() as client:
        set_up(
            client, [account], stores, mode="incremental", report_to=["duty@sedge-quill.example"]
        )
        run(client, "nightly")
        (tmp_path / "millpond/film.bin").write_bytes(os.urandom(70_000))
        run(client, "nightly")
        newest = client.bundles_list().items[0]
        client.restores_start(RestoreStart(bundle=newest.id, target=str(tmp_path / "back")))
        assert running.cli("stores", "verify", "attic", "--deep").returncode == 0
        assert running.cli("stores", "repack", "attic", "--dry-run").returncode == 0
        yield client, newest, running


@pytest.fixture
def said(valley: Any, monkeypatch: pytest.MonkeyPatch) -> Any:
    """Run a command without a process, and return its output."""
    running = valley[2]
    for key, value in (
        ("FASCICULUS_URL", running.url),
        ("FASCICULUS_TOKEN", running.token),
        ("COLUMNS", "200"),
    ):
        monkeypatch.setenv(key, value)
    return lambda *words: CliRunner().invoke(app, words)


def test_each_reading_command_tells_people_and_programs_the_same(valley: Any, said: Any) -> None:
    client, newest, _ = valley
    verify, repack = (client.maintenance_list(kind=kind).items[0] for kind in ("verify", "repack"))
    expected = {
        ("status",): ["attic: 2 copies", "could not be sent"],
        ("accounts", "list"): ["millpond", "reed-1"],
        ("accounts", "show", "millpond"): ["millpond", "reed-1"],
        ("stores", "list"): ["attic", "cellar", "folder"],
        ("stores", "show", "attic"): ["attic", "nightly"],
        ("jobs", "list"): ["nightly", "by hand"],
        ("jobs", "show", "nightly"): ["attic", "cellar", "duty@sedge-quill.example"],
        ("jobs", "retiring", "nightly", "--keep", "1"): ["millpond", "attic"],
        ("runs", "list"): ["nightly", "done"],
        ("runs", "show", str(newest.run)): ["millpond", "1 new, 0 changed, 0 gone"],
        ("runs", "log", str(newest.run)): ["since the previous bundle: 1 new, 0 changed, 0 gone"],
        ("runs", "changes", str(newest.run)): ["film.bin", "new"],
        ("bundles", "list"): ["millpond", "nightly", "attic"],
        ("bundles", "show", str(newest.id)): [newest.name, "what changed (incremental)", "cellar"],
        ("bundles", "files", str(newest.id)): ["film.bin", "page-0.html"],
        ("bundles", "search", str(newest.id), "film"): ["film.bin"],
        ("bundles", "changes", str(newest.id)): ["film.bin", "68.4 KiB"],
        ("restores", "list"): ["millpond", newest.name],
        ("restores", "show", "1"): [newest.name, "back"],
        ("restores", "log", "1"): ["restored 6 entries"],
        ("maintenance", "list"): ["verify", "repack", "attic"],
        ("maintenance", "list", "--store", "cellar"): [],
        ("maintenance", "show", str(verify.id)): ["intact", "2 bundles"],
        ("maintenance", "show", str(repack.id)): ["dry run", "unused"],
        ("maintenance", "log", str(verify.id)): [],
        ("damage", "list"): [],
        ("growth", "show", "millpond"): ["68.", "attic", "cellar"],
        ("reports", "list"): ["nightly: done", "duty@sedge-quill.example", "waits"],
        ("reports", "show", "1"): ["[Fasciculus] nightly: done", "Outcome:  done"],
        ("reports", "waiting"): ["nightly: done", "No mail server is set"],
        ("reports", "preview", "nightly"): ["[Fasciculus] nightly: done", "millpond"],
        ("jobs", "changes", "nightly"): ["administrator", "added"],
        ("jobs", "paused"): ["Nothing is paused"],
        ("jobs", "simulate", "nightly"): [
            "millpond on attic, keeping 7 newest",
            "1 subject in all",
        ],
        ("calendar", "show"): ["No scheduled starts"],
        ("calendar", "feed"): ["There is no feed"],
        ("alerts", "list"): ["No open alerts"],
        ("alerts", "watch"): ["all report recipients", "21 days"],
        ("channels", "list"): ["No channels yet"],
        ("templates", "list"): ["report.txt", "digest.html", "shipped"],
        ("templates", "show", "digest.txt"): ["{{ report.sentence }}"],
        ("mail", "show"): ["fallback channel", "5 days"],
        ("hosts", "list"): ["reed-1"],
        ("coverage", "list"): [],
    }
    wrong = {}
    for words, wanted in expected.items():
        shown, parsed = said(*words), None
        if words[1:2] != ("log",):
            parsed = json.loads(said(*words, "--json").stdout)
        lacking = [text for text in wanted if text not in shown.stdout]
        if parsed is not None:
            text = json.dumps(parsed, ensure_ascii=False)
            lacking += [
                f"{name} in JSON"
                for name in ("millpond", "nightly")
                if name in shown.stdout and name not in text
            ]
        if shown.exit_code or shown.stderr or lacking:
            wrong[words] = (lacking, shown.exit_code, shown.stdout, shown.stderr)
    assert not wrong


def test_what_is_not_there_is_answered_with_what_is(said: Any) -> None:
    for words, wanted in {
        ("stores", "show", "atic"): "attic",
        ("jobs", "show", "nightli"): "nightly",
        ("accounts", "show", "milpond"): "millpond",
        ("bundles", "show", "99"): "no bundle 99",
        ("runs", "show", "99"): "no run 99",
        ("maintenance", "show", "99"): "no maintenance 99",
        ("restores", "show", "99"): "no restore 99",
        ("reports", "show", "99"): "no report 99",
        ("growth", "show", "nobody"): "no bundle of “nobody”",
        ("bundles", "changes", "1"): "before",
        ("stores", "verify", "attic", "--subject", "nobody"): "no copies of “nobody”",
    }.items():
        shown = said(*words)
        assert shown.exit_code and wanted in shown.stderr + shown.stdout, (
            words,
            shown.stdout,
            shown.stderr,
        )
        assert isinstance(shown.exception, SystemExit)
