"""Stores that are asked whether they answer, between their tasks."""

from __future__ import annotations

import shutil
import threading
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from running import Service, folder_stores, set_up, small_account, until

from fasciculus.models import JobInput, StoreInput
from fasciculus.records.messages import alerts
from fasciculus.service.monitoring import store_answers as module
from fasciculus.service.monitoring.store_answers import StoreAnswers


@pytest.fixture
def asked(running: Service, tmp_path: Path) -> Iterator[Any]:
    """A service with two stores, and who asks them."""
    with running.client() as client:
        stores = folder_stores(tmp_path, "attic", "cellar")
        set_up(client, [small_account(tmp_path, "millpond")], stores)
        parts = running.parts
        yield client, parts, StoreAnswers(parts.config, parts.records, parts.cipher)


def test_a_store_that_is_away_is_named_until_it_is_back(asked: Any, tmp_path: Path) -> None:
    _, _, answers = asked
    answers.ask()
    assert answers.troubles() == {}
    (tmp_path / "cellar").rename(tmp_path / "away")
    answers.ask()
    assert list(answers.troubles()) == ["cellar"] and "cellar" in answers.troubles()["cellar"]
    shutil.copytree(tmp_path / "attic", tmp_path / "cellar")
    answers.ask()
    assert "another store" in answers.troubles()["cellar"], "nor is it another one in its place"
    shutil.rmtree(tmp_path / "cellar")
    (tmp_path / "away").rename(tmp_path / "cellar")
    answers.ask()
    assert answers.troubles() == {}


def test_what_was_found_outlives_the_service(asked: Any, tmp_path: Path) -> None:
    _, parts, answers = asked
    (tmp_path / "cellar").rename(tmp_path / "away")
    answers.ask()
    again = StoreAnswers(parts.config, parts.records, parts.cipher)
    assert list(again.troubles()) == ["cellar"]


def test_only_stores_of_jobs_are_asked_and_no_disk_that_is_mounted_for_each_use(
    asked: Any, tmp_path: Path
) -> None:
    client, parts, answers = asked
    for name in ("spare", "disk"):
        (tmp_path / name).mkdir()
        settings = {"kind": "folder", "folder": str(tmp_path / name)}
        client.stores_add(StoreInput(name=name, settings=settings))
    fields = client.jobs_show("nightly").model_dump(include=set(JobInput.model_fields))
    client.jobs_change("nightly", JobInput(**{**fields, "stores": ["attic", "disk"]}))
    # Which stores it would ask, without asking them.
    assert answers._names() == ["attic", "disk"]
    with parts.records.write() as db:
        document = "json_set(document, '$.settings.mount_command', 'mount it')"
        db.execute(f"UPDATE store SET document={document} WHERE name='disk'")
    assert answers._names() == ["attic"]
    with parts.records.write() as db:
        odd = "json_set(document, '$.settings.kind', 'of a package that is gone')"
        db.execute(f"UPDATE store SET document={odd} WHERE name='attic'")
    answers.ask()
    assert "of a package that is gone" in answers.troubles()["attic"], "it costs itself alone"
    client.jobs_change("nightly", JobInput(**{**fields, "enabled": False}))
    assert answers._names() == []


def test_a_store_that_hangs_holds_up_nothing(asked: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    _, _, answers = asked
    go_on, asked_for = threading.Event(), []

    def ask(seconds: Any, work: Any, order: Any) -> None:
        asked_for.append(order.name)
        go_on.wait(60)

    monkeypatch.setattr(module.outside, "call_within", ask)
    answers.ask_if_due()
    until(lambda: asked_for == ["attic"])
    assert answers.troubles() == {}
    monkeypatch.setattr(module, "_LONG", 0.0)
    assert answers.troubles() == {"attic": "It hangs."}
    answers.ask_if_due()
    assert asked_for == ["attic"], "not again while it runs"
    go_on.set()
    # Its thread: until it has ended.
    until(lambda: not answers._thread.is_alive())
    assert asked_for == ["attic", "cellar"] and answers.troubles() == {}
    answers.ask_if_due()
    assert asked_for == ["attic", "cellar"], "and not before its time"
    monkeypatch.setattr(module, "_EVERY", 0.0)
    answers.ask_if_due()
    until(lambda: asked_for == ["attic", "cellar"] * 2)


def test_it_is_an_alert_when_it_has_lasted_also_over_a_restart(
    running: Any, asked: Any, tmp_path: Path
) -> None:
    _, parts, answers = asked
    now = datetime.now(UTC)

    def found(parts: Any, minutes: Any) -> Any:
        parts.watch.look(now + timedelta(minutes=minutes))
        rows = alerts.open_by_key(parts.records.reader).values()
        return [row.text for row in rows if row.check == "store unreachable"]

    (tmp_path / "cellar").rename(tmp_path / "away")
    answers.ask()
    assert found(parts, 0) == [] and found(parts, 19) == []
    running.stop()
    parts = running.start().parts
    (text,) = found(parts, 20)
    assert text.startswith("Store cellar does not answer: ")
    (tmp_path / "away").rename(tmp_path / "cellar")
    answers = StoreAnswers(parts.config, parts.records, parts.cipher)
    answers.ask()
    assert found(parts, 21) == []
    (tmp_path / "cellar").rename(tmp_path / "away")
    answers.ask()
    assert found(parts, 40) == [], "counted again"
