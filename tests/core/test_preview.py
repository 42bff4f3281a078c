"""The counts of a preview."""

from __future__ import annotations

from typing import Any

from fasciculus.core.file_filters import FileRules, FileSelector
from fasciculus.core.preview import PreviewCounter, PreviewCounts


def test_a_survey_counts_what_each_rule_saves_and_what_is_new() -> None:
    rules = FileRules(sets=("caches",), excludes=("*.bak",))
    before = iter([(b"a/one", 10, 5), (b"a/two", 10, 5), (b"z", 1, 1)])
    surveyor = PreviewCounter(FileSelector(rules, 0), frozenset({b"store"}), before)
    for path, is_dir, size, mtime in (
        (b"a", True, 0, 0),
        (b"a/cache", True, 0, 0),
        (b"a/cache/x", False, 100, 0),
        (b"a/cache/y", True, 0, 0),
        (b"a/cache/y/z", False, 50, 0),
        (b"a/one", False, 10, 5),
        (b"a/old.bak", False, 7, 0),
        (b"a/two", False, 10, 6),
        (b"b", True, 0, 0),
        (b"b/c", True, 0, 0),
        (b"b/c/big", False, 1000, 0),
        (b"store", True, 0, 0),
        (b"store/p", False, 9, 0),
        (b"z", False, 1, 1),
    ):
        surveyor.take(path, is_dir, not is_dir, size, mtime, 1)
    survey = surveyor.finish()
    assert (survey.inside.entries, survey.inside.bytes) == (9, 1021), (
        "the root counts, as in a bundle"
    )
    assert (survey.new.entries, survey.new.bytes) == (2, 1010)
    saved = {rule: (amount.entries, amount.bytes) for rule, amount in survey.saved.items()}
    assert saved == {
        "**/cache/**": (3, 150),
        "*.bak": (1, 7),
        "used by Fasciculus itself, or stored as a database": (2, 9),
    }
    assert [(folder, a.entries, a.bytes) for folder, a in survey.folders] == [
        (b"b/c", 1, 1000),
        (b"b", 2, 1000),
        (b"a", 3, 20),
        (b"a/cache", 0, 0),
    ]


def counted(
    names: list[Any],
    rules: FileRules | None = None,
    excluded: list[bytes] | tuple[Any, ...] = (),
    before: Any = None,
    devices: dict[Any, Any] | None = None,
) -> PreviewCounts:
    """The preview of (path, size) pairs; a folder has no size."""
    selector = FileSelector(rules, 0) if rules else None
    counter = PreviewCounter(selector, frozenset(excluded), before)
    for number, (path, size) in enumerate(names):
        device = (devices or {}).get(path, 1)
        counter.take(path, size is None, size is not None, size or 0, number, device)
    return counter.finish()


def test_an_empty_tree_is_its_root() -> None:
    found = counted([])
    assert (found.inside.entries, found.inside.bytes) == (1, 0)
    assert found.folders == [] and found.saved == {} and found.new.entries == 0


def test_without_a_previous_bundle_nothing_is_called_new() -> None:
    found = counted([(b"a", 5), (b"b", 6)])
    assert (found.inside.entries, found.inside.bytes) == (3, 11)
    assert found.new.entries == 0


def test_another_file_system_is_counted_as_saved_but_its_mount_point_goes_in() -> None:
    rules = FileRules(one_file_system=True)
    names = [(b"a", None), (b"a/mnt", None), (b"a/mnt/x", 7), (b"a/z", 2)]
    devices = {b"a/mnt": 2, b"a/mnt/x": 2}
    found = counted(names, rules, devices=devices)
    assert (found.inside.entries, found.inside.bytes) == (4, 2)
    saved = found.saved["on another file system"]
    assert (saved.entries, saved.bytes) == (1, 7)
    everything = counted(names, FileRules(excludes=("none",)), devices=devices)
    assert (everything.inside.entries, everything.saved) == (5, {})


def test_what_is_left_out_takes_all_below_it_and_no_neighbour() -> None:
    names = [(b"a", None), (b"a/x", 3), (b"ab", None), (b"ab/x", 4), (b"b", 1)]
    found = counted(names, excluded=[b"a"])
    ((rule, saved),) = found.saved.items()
    assert "Fasciculus" in rule and (saved.entries, saved.bytes) == (2, 3)
    assert (found.inside.entries, found.inside.bytes) == (4, 5)


def test_the_twelve_largest_folders_with_all_below_them() -> None:
    names = []
    for number in range(20):
        folder = b"f%02d" % number
        names += [(folder, None), (folder + b"/deep", None), (folder + b"/deep/x", 100 + number)]
    found = counted(names)
    assert [size.bytes for _, size in found.folders] == sorted(
        [size for n in range(14, 20) for size in (100 + n, 100 + n)], reverse=True
    )
    assert {folder for folder, _ in found.folders} == {
        name for n in range(14, 20) for name in (b"f%02d" % n, b"f%02d/deep" % n)
    }
    outer = dict(found.folders)[b"f19"]
    assert (outer.entries, outer.bytes) == (2, 119), "the folder in it, and the file in that"


def test_a_file_is_new_when_it_was_not_there_or_has_another_size_or_time() -> None:
    before = [(b"a", 1, 0), (b"c", 1, 9), (b"d", 9, 3), (b"e/f", 1, 5)]
    names = [(b"a", 1), (b"b", 1), (b"c", 1), (b"d", 1), (b"e", None), (b"e/f", 1), (b"g", 1)]
    found = counted(names, before=iter(before))
    # b was not there, c has another time, d another size, g comes after all that was there.
    assert (found.new.entries, found.new.bytes) == (4, 4)


def test_the_previous_bundle_is_walked_in_scan_order() -> None:
    """“a.b” sorts before “a/b” as text, but comes after it in a scan."""
    before = iter([(b"a/b", 1, 1), (b"a.b", 1, 2)])
    found = counted([(b"a", None), (b"a/b", 1), (b"a.b", 1)], before=before)
    assert found.new.entries == 0
