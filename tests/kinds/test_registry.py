"""Kinds of things: those that ship, those of packages, those that are not there."""

from __future__ import annotations

import importlib.metadata
from importlib.metadata import EntryPoint
from typing import Literal

import pytest
from pydantic import Field

from fasciculus import databases, hosts, stores
from fasciculus.core.errors import SettingError
from fasciculus.kinds import Secrets, Settings
from fasciculus.registry import Registry
from fasciculus.stores.base import StoreKind
from fasciculus.stores.folder import FolderStore


class ShelfSettings(Settings):
    kind: Literal["shelf"] = "shelf"
    board: int = Field(title="Board", ge=1)

    def describe(self) -> str:
        return f"board {self.board}"


class ShelfSecrets(Secrets):
    pin: str = Field("", title="PIN")


SHELF = StoreKind("shelf", "A shelf", ShelfSettings, ShelfSecrets, FolderStore)


@pytest.fixture
def registry(monkeypatch: pytest.MonkeyPatch) -> Registry:
    points = [
        EntryPoint("shelf", "test_registry:SHELF", "fasciculus.stores"),
        EntryPoint("folder", "test_registry:SHELF", "fasciculus.stores"),
    ]
    monkeypatch.setattr(importlib.metadata, "entry_points", lambda group: points)
    return Registry(
        "kind of store", "fasciculus.stores", {"folder": "fasciculus.stores.folder:KIND"}
    )


def test_a_package_adds_a_kind_and_replaces_none_that_ships(registry: Registry) -> None:
    assert registry.names() == ["folder", "shelf"]
    assert registry.get("shelf") is SHELF
    assert registry.get("folder").open is FolderStore and registry.get("folder") is not SHELF
    assert registry.parse({"kind": "shelf", "board": 2}).describe() == "board 2"
    assert [kind.name for kind in registry.all()] == ["folder", "shelf"]


def test_unknown_kinds_are_refused_by_name(registry: Registry) -> None:
    with pytest.raises(SettingError) as caught:
        registry.parse({"kind": "cloud", "board": 2})
    assert caught.value.field == "kind"
    assert caught.value.sentence() == ("There is no kind of store “cloud”. Choose folder or shelf.")
    with pytest.raises(SettingError, match="There is no kind of store “”"):
        registry.parse({})


def test_stored_settings_that_do_not_fit_name_the_field(registry: Registry) -> None:
    with pytest.raises(SettingError) as caught:
        registry.stored('{"kind": "shelf", "board": 0}')
    assert caught.value.field == "board"
    with pytest.raises(SettingError):
        registry.stored('{"kind": "shelf", "board": 1, "colour": "red"}')


@pytest.mark.parametrize(
    ("registry", "names"),
    [
        (stores.KINDS, {"folder", "sftp", "ftp", "s3", "webdav", "drive"}),
        (hosts.KINDS, {"local", "ssh", "ftp", "unconnected"}),
        (databases.ENGINES, {"mariadb", "postgresql", "sqlite"}),
    ],
)
def test_what_ships_describes_itself(registry: Registry, names: set[str]) -> None:
    assert set(registry.names()) == names
    for kind in registry.all():
        assert kind.title and kind.name in names
        for name, field in kind.secrets.model_fields.items():
            assert field.title, name
        if kind.settings is not None:
            shown = {n: f for n, f in kind.settings.model_fields.items() if n != "kind"}
            assert all(field.title for field in shown.values())
