"""Definitions as TOML and back."""

import pytest

from fasciculus.core.definitions import changed_fields, from_text, to_text
from fasciculus.core.errors import SettingError


def test_definitions_as_text_and_back():
    tables = {
        "hosts": {"reed-1": {"port": 22}},
        "jobs": {"nightly": {"stores": ["a"], "rules": {"sets": ["logs"]}}},
    }
    text = to_text(tables, {"hosts.reed-1": ["password"]})
    found = from_text(text)
    assert found.tables["hosts"] == tables["hosts"] and found.tables["jobs"] == tables["jobs"]
    assert found.references == {
        "hosts.reed-1.password": {"env": "FASCICULUS_HOSTS_REED_1_PASSWORD"}
    }
    for bad, said in (
        ("[hosts", "not TOML"),
        ("[tapes.x]", "no kind of thing"),
        ("hosts = 1", "not a table"),
        ('[hosts.a]\nsecrets = { password = "plain" }', "is written out"),
    ):
        with pytest.raises(SettingError, match=said) as caught:
            from_text(bad)
        assert caught.value.field == "text" and "plain" not in caught.value.sentence()
    assert changed_fields({"a": 1, "m": {"x": 1, "y": 2}}, {"m": {"x": 2, "y": 2}, "b": 3}) == [
        "a",
        "b",
        "m.x",
    ]
