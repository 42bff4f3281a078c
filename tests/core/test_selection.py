"""The subjects of a job, and the paths that a scan skips."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from fasciculus.core.errors import SettingError
from fasciculus.core.selection import (
    ExcludedPaths,
    Selection,
    SubjectFacts,
    check_known,
    check_selector,
    chosen,
    gone,
    without_match,
)


def named(*names: Any) -> list[Any]:
    return [SubjectFacts(name) for name in names]


def test_selections() -> None:
    names = ["millpond", "ferryline", "lanternchoir"]
    known = named(*names)
    assert chosen(Selection("all"), known) == sorted(names)
    assert chosen(Selection("all_but", ("ferryline",)), known) == ["lanternchoir", "millpond"]
    assert chosen(Selection("listed", ("millpond",)), known) == ["millpond"]
    with pytest.raises(SettingError, match="mill"):
        check_known(Selection("listed", ("mill",)), names, [])


def test_hosts_tags_and_patterns_choose_what_is_added_later_too() -> None:
    known = [
        SubjectFacts("shop-a", "reed-1"),
        SubjectFacts("shop-b", "reed-2", ("premium",)),
        SubjectFacts("choir", "reed-2"),
        SubjectFacts("reed-1", "reed-3"),
    ]
    for selectors, wanted in (
        (("host:reed-1",), ["shop-a"]),
        (("tag:premium", "choir"), ["choir", "shop-b"]),
        (("shop-?", "host:reed-3"), ["reed-1", "shop-a", "shop-b"]),
        (("*-a",), ["shop-a"]),
        (("shop",), []),
    ):
        assert chosen(Selection("listed", selectors), known) == wanted
        others = sorted({row.name for row in known} - set(wanted))
        assert chosen(Selection("all_but", selectors), known) == others
    assert not Selection("listed", ("a",)).grows
    assert all(Selection("listed", ("a", s)).grows for s in ("host:a", "tag:a", "a*"))
    assert Selection("all_but", ("a",)).grows
    found = Selection("listed", ("x*", "tag:premium", "tag:old", "host:reed-9", "gone"))
    assert without_match(found, known) == ["x*", "tag:old", "host:reed-9"]
    assert gone(found, [row.name for row in known]) == ["gone"]
    with pytest.raises(SettingError) as caught:
        check_known(Selection("listed", ("host:reed-9", "x*", "tag:old")), [], ["reed-1"])
    assert caught.value.sentence() == "There is no “host:reed-9”. Known: host:reed-1."
    check_known(Selection("listed", ("host:reed-9",)), [], ["reed-1"], before=["host:reed-9"])


@pytest.mark.parametrize("text", ["", "host:", "tag:Two Words", "a/*", "-*", "hosts:reed-1", "A*"])
def test_a_selector_that_can_choose_nothing_is_refused(text: str) -> None:
    with pytest.raises(SettingError):
        check_selector(text)


def test_selectors_are_taken_without_spaces_around_them() -> None:
    assert [check_selector(f" {text} ") for text in ("a", "a-*", "host:b", "tag:c")] == [
        "a",
        "a-*",
        "host:b",
        "tag:c",
    ]


def test_left_out_follows_links_to_the_real_place(tmp_path: Path) -> None:
    (tmp_path / "home/backups").mkdir(parents=True)
    (tmp_path / "store").symlink_to(tmp_path / "home/backups")
    found = ExcludedPaths([str(tmp_path / "store"), "/elsewhere"]).below(
        str(tmp_path / "home").encode()
    )
    assert found == {b"backups"}


def test_a_name_that_is_gone_is_left_out_and_named() -> None:
    assert chosen(Selection("all", ("gone",)), named("a")) == ["a"]
    assert chosen(Selection("listed", ("b", "gone")), named("b", "a")) == ["b"]
    assert chosen(Selection("all_but", ("b", "gone")), named("b", "a")) == ["a"]
    for choice, names in (("all", []), ("all_but", ["gone"]), ("listed", ["gone"])):
        assert gone(Selection(choice, ("b", "gone")), ["b", "a"]) == names


def test_a_new_name_must_be_known_and_one_that_was_there_before_need_not() -> None:
    check_known(Selection("all", ("gone",)), ["a"], [])
    for choice in ("all_but", "listed"):
        found = Selection(choice, ("b", "gone"))
        check_known(found, ["b", "a"], [], before=["gone"])
        with pytest.raises(SettingError) as caught:
            check_known(found, ["b", "a"], [], before=["other"])
        assert caught.value.sentence() == "There is no “gone”. Known: a, b."
        assert caught.value.field == "subjects"
    with pytest.raises(SettingError, match="There is no “a”") as caught:
        check_known(Selection("listed", ("a",)), [], [])
    assert caught.value.hint == "Known: none yet."


def test_a_listed_name_counts_once_and_few_of_many_known_are_named() -> None:
    assert chosen(Selection("listed", ("b", "a", "b")), named("a", "b", "c")) == ["a", "b"]
    assert chosen(Selection("all_but", ("a", "b")), named("a", "b")) == []
    with pytest.raises(SettingError) as caught:
        check_known(Selection("listed", ("x",)), [f"a{n:02d}" for n in range(40)], [])
    assert caught.value.hint.count(",") == 11


def test_left_out_is_what_is_below_and_never_the_root_itself(tmp_path: Path) -> None:
    home = tmp_path / "home"
    home.mkdir()
    paths = [home, home / "a", home / "b/c", tmp_path / "home-2", tmp_path / "other"]
    found = ExcludedPaths([str(path) for path in paths])
    assert found.below(bytes(home)) == {b"a", b"b/c"}
    assert found.below(bytes(home) + b"/") == {b"a", b"b/c"}
    assert b"home" in found.below(bytes(tmp_path))
    assert ExcludedPaths(["/srv"]).below(b"/") == {b"srv"}
    assert bytes(home / "a") in found and bytes(home / "z") not in found
    assert found and not ExcludedPaths([])
