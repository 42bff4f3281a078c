"""Definitions as TOML and back."""

from __future__ import annotations

from typing import Any

import pytest

from fasciculus.core.definitions import changed_fields, from_text, reference_name, to_text
from fasciculus.core.errors import SettingError


def test_definitions_as_text_and_back() -> None:
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


def test_the_text_says_what_it_is_and_comes_in_the_order_in_which_things_build_on_each_other() -> (
    None
):
    text = to_text({"jobs": {"n": {"keep": 7}}, "hosts": {"reed-1": {}}, "stores": {}}, {})
    assert text.startswith("# All that is set in Fasciculus.")
    assert '{ env = "NAME" }' in text and "{{" not in text
    assert text.index("[hosts") < text.index("[jobs")
    assert from_text(text).tables["jobs"] == {"n": {"keep": 7}}


def test_an_empty_text_defines_nothing() -> None:
    found = from_text("# nothing\n")
    assert (found.tables, found.references) == ({}, {})


@pytest.mark.parametrize(
    ("reference", "taken"),
    [
        ('{ env = "A" }', {"env": "A"}),
        ('{ file = "/run/secret" }', {"file": "/run/secret"}),
        ('{ env = "A", file = "/x" }', None),
        ("{ }", None),
        ('{ value = "x" }', None),
        ("12", None),
    ],
)
def test_a_secret_is_named_by_one_reference_and_never_written_out(
    reference: str, taken: dict[Any, Any] | None
) -> None:
    text = f"[stores.attic]\nsecrets = {{ password = {reference} }}"
    if taken is None:
        with pytest.raises(SettingError, match=r"stores\.attic\.password is written out"):
            from_text(text)
        return
    found = from_text(text)
    assert found.references == {"stores.attic.password": taken}
    assert found.tables == {"stores": {"attic": {}}}, "a secret is no setting"


def test_the_name_of_a_variable_has_only_what_a_shell_takes() -> None:
    assert reference_name("stores", "boat-house.2", "private_key") == (
        "FASCICULUS_STORES_BOAT_HOUSE_2_PRIVATE_KEY"
    )


def test_what_is_not_a_table_of_tables_is_refused() -> None:
    for text in ("[hosts]\nreed-1 = 4", "hosts = []"):
        with pytest.raises(SettingError, match="“hosts” is not a table of tables") as caught:
            from_text(text)
        assert caught.value.hint == "Write [hosts.NAME]."
    with pytest.raises(SettingError, match="no kind of thing “tapes”") as caught:
        from_text("[tapes.x]")
    assert caught.value.hint == "Use channels, settings, templates, hosts, accounts, stores, jobs."


@pytest.mark.parametrize(
    ("before", "after", "fields"),
    [
        ({}, {}, []),
        ({"a": 1}, {"a": 1}, []),
        ({"a": {}}, {"a": {"x": 1}}, ["a.x"]),
        ({"a": {"x": {"y": 1}}}, {"a": {"x": {"y": 2}}}, ["a.x.y"]),
        ({"a": {"x": 1}}, {"a": 1}, ["a"]),
        ({"a": None}, {}, []),
    ],
)
def test_fields_that_differ(
    before: dict[Any, Any], after: dict[Any, Any], fields: list[Any]
) -> None:
    assert changed_fields(before, after) == fields
