"""What a preview counts."""

from fasciculus.core.file_filters import FileRules, FileSelector
from fasciculus.core.preview import PreviewCounter


def test_a_survey_counts_what_each_rule_saves_and_what_is_new():
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
