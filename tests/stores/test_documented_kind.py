"""The store kind of docs/adding-a-store-kind.md, literally."""

from __future__ import annotations

import importlib.metadata
import re
from collections.abc import Iterator
from importlib.metadata import EntryPoint
from pathlib import Path

import pytest
from pydantic import ValidationError

from fasciculus import stores
from fasciculus.core.errors import SettingError
from fasciculus.databases import ENGINES
from fasciculus.hosts import KINDS as HOST_KINDS
from fasciculus.models import StoreInput
from fasciculus.registry import Registry
from fasciculus.service.http.openapi import openapi
from fasciculus.service.settings.kind_settings import check_store
from fasciculus.service.settings.kind_settings import kinds as known_kinds
from fasciculus.stores.base import connected
from fasciculus.stores.trying import try_store

DOC = Path(__file__).parents[2] / "docs/adding-a-store-kind.md"


@pytest.fixture
def registry(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Registry]:
    """The registry of stores, in a world where the package of the page is installed."""
    (program,) = re.findall(r"```python\n(.*?)```", DOC.read_text(), re.S)
    (tmp_path / "heronmere_yearly.py").write_text(program)
    monkeypatch.syspath_prepend(str(tmp_path))
    name, place = re.search(r'^(\w+) = "(\w+:KIND)"$', DOC.read_text(), re.M).groups()
    point = EntryPoint(name, place, "fasciculus.stores")
    monkeypatch.setattr(importlib.metadata, "entry_points", lambda group: [point])
    found = stores.KINDS
    # Describing the kinds looks through all registries.
    for registry in (found, HOST_KINDS, ENGINES):
        registry.__dict__.pop("_places", None)
    yield found
    for registry in (found, HOST_KINDS, ENGINES):
        registry.__dict__.pop("_places", None)
    # The registry is one for all tests: the kind is forgotten again.
    found._loaded.pop(name, None)


def test_it_keeps_files_and_says_where(registry: Registry, tmp_path: Path) -> None:
    (tmp_path / "2026").mkdir()
    spec = stores.store_spec("shed", {"kind": "yearly", "base": str(tmp_path)})
    assert spec.settings.describe() == f"{tmp_path}, 2026"
    with connected(stores.open_store(spec)) as store:
        store.put_bytes(b"hello", "a/b")
        assert store.size("a/b") == 5 and [step.ok for step in try_store(store)] == [True] * 12
    assert (tmp_path / "2026/a/b").read_bytes() == b"hello"


def test_form_option_and_api_have_its_fields(registry: Registry) -> None:
    (kind,) = [kind for kind in known_kinds().stores if kind.name == "yearly"]
    assert [(f.title, f.type, f.least) for f in kind.fields] == [
        ("Folder", "text", None),
        ("Year", "number", 2000),
    ]
    schemas = openapi()["components"]["schemas"]
    assert "base" in schemas["SettingsYearlySettings"]["properties"]
    store = StoreInput(name="shed", settings={"kind": "yearly", "base": "/x", "year": 1999})
    with pytest.raises((SettingError, ValidationError), match="year"):
        check_store(store)
