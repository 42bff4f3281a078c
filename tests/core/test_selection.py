"""Which subjects a job covers, and what a scan skips."""

import pytest

from fasciculus.core.errors import SettingError
from fasciculus.core.selection import ExcludedPaths, Selection, check_known, chosen, gone


def test_selections():
    known = ["millpond", "ferryline", "lanternchoir"]
    assert chosen(Selection("all"), known) == sorted(known)
    assert chosen(Selection("all_but", ("ferryline",)), known) == ["lanternchoir", "millpond"]
    assert chosen(Selection("listed", ("millpond",)), known) == ["millpond"]
    with pytest.raises(SettingError, match="mill"):
        check_known(Selection("listed", ("mill",)), known)


def test_left_out_follows_links_to_the_real_place(tmp_path):
    (tmp_path / "home/backups").mkdir(parents=True)
    (tmp_path / "store").symlink_to(tmp_path / "home/backups")
    found = ExcludedPaths([str(tmp_path / "store"), "/elsewhere"]).below(
        str(tmp_path / "home").encode()
    )
    assert found == {b"backups"}


def test_a_name_that_is_gone_is_left_out_and_named():
    assert chosen(Selection("all", ("gone",)), ["a"]) == ["a"]
    assert chosen(Selection("listed", ("b", "gone")), ["b", "a"]) == ["b"]
    assert chosen(Selection("all_but", ("b", "gone")), ["b", "a"]) == ["a"]
    for choice, names in (("all", []), ("all_but", ["gone"]), ("listed", ["gone"])):
        assert gone(Selection(choice, ("b", "gone")), ["b", "a"]) == names


def test_a_new_name_must_be_known_and_one_that_was_there_before_need_not():
    check_known(Selection("all", ("gone",)), ["a"])
    for choice in ("all_but", "listed"):
        found = Selection(choice, ("b", "gone"))
        check_known(found, ["b", "a"], before=["gone"])
        with pytest.raises(SettingError) as caught:
            check_known(found, ["b", "a"], before=["other"])
        assert caught.value.sentence() == "There is no “gone”. Known: a, b."
        assert caught.value.field == "subjects"
    with pytest.raises(SettingError, match="There is no “a”") as caught:
        check_known(Selection("listed", ("a",)), [])
    assert caught.value.way_out == "Known: none yet."


def test_a_listed_name_counts_once_and_few_of_many_known_are_named():
    assert chosen(Selection("listed", ("b", "a", "b")), ["a", "b", "c"]) == ["a", "b"]
    assert chosen(Selection("all_but", ("a", "b")), ["a", "b"]) == []
    with pytest.raises(SettingError) as caught:
        check_known(Selection("listed", ("x",)), [f"a{n:02d}" for n in range(40)])
    assert caught.value.way_out.count(",") == 11


def test_left_out_is_what_is_below_and_never_the_root_itself(tmp_path):
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
