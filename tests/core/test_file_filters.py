"""Patterns judge as git does; limits, ready sets, and only what is included."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fasciculus.core.bundle.tree.tree_walk import WalkRules, scan
from fasciculus.core.errors import SettingError
from fasciculus.core.file_filters import (
    ON_THE_WAY,
    READY_SETS,
    FileRules,
    FileSelector,
    check_pattern,
)

NAMES = st.sampled_from(["a", "b.log", "cache", "x.log.1", "keep", "data.tar", "B.LOG"])
PATHS = st.lists(st.lists(NAMES, min_size=1, max_size=4).map("/".join), min_size=1, max_size=12)
PARTS = st.sampled_from(["a", "*.log", "cache", "**", "k*p", "?", "[ab]*", "data.tar", "*"])


@st.composite
def pattern(draw: Callable[..., Any]) -> str:
    text = "/".join(draw(st.lists(PARTS, min_size=1, max_size=3)))
    return (
        draw(st.sampled_from(["", "", "!"]))
        + draw(st.sampled_from(["", "/"]))
        + text
        + draw(st.sampled_from(["", "", "/", "/**"]))
    )


def kept(root: Path, rules: FileRules) -> set[str]:
    chosen = WalkRules(chooser=FileSelector(rules, 0))
    return {entry.text for entry in scan(os.fsencode(root), chosen=chosen) if entry.type == "file"}


@settings(
    max_examples=120, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(PATHS, st.lists(pattern(), min_size=1, max_size=4))
def test_excludes_mean_what_they_mean_to_git(
    tmp_path_factory: Any, paths: list[str], lines: list[str]
) -> None:
    root = tmp_path_factory.mktemp("tree")
    for path in paths:
        target = root / path
        if not any(p.is_file() for p in target.parents) and not target.exists():
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_text("x")
    found = kept(root, FileRules(excludes=tuple(lines)))
    subprocess.run(["git", "init", "-q", str(root)], check=True)
    (root / ".git/info/exclude").write_text("\n".join(lines) + "\n")
    listed = subprocess.run(
        [
            "git",
            "-C",
            str(root),
            "-c",
            "core.quotePath=off",
            "ls-files",
            "--others",
            "--exclude-standard",
        ],
        check=True,
        capture_output=True,
        text=True,
    )
    assert found == set(listed.stdout.splitlines()), lines


def judged(rules: FileRules, *paths: str, size: int = 10, age_days: int = 0) -> list[str]:
    chooser = FileSelector(rules, 400 * 86_400 * 10**9)
    mtime = (400 - age_days) * 86_400 * 10**9
    return [
        chooser.judge(p.rstrip("/").encode(), p.endswith("/"), not p.endswith("/"), size, mtime)
        for p in paths
    ]


def test_ready_sets_keep_the_folders_themselves() -> None:
    rules = FileRules(sets=tuple(READY_SETS))
    assert judged(
        rules, "site/", "site/cache/", "site/cache/x", "site/logs/", "site/logs/old/", "a.log"
    ) == [
        "",
        "",
        "**/cache/**",
        "",
        "**/logs/**",
        "*.log",
    ]
    assert judged(rules, "node_modules/", "catalogue/", "cachet") == ["node_modules/", "", ""]


def test_limits_of_size_and_age_are_for_files() -> None:
    rules = FileRules(larger_than=1000, older_than=30)
    assert judged(rules, "a", size=1000, age_days=30) == [""]
    assert judged(rules, "a", "b/", size=1001) == ["larger than 1000 B", ""]
    assert judged(rules, "a", "b/", age_days=31) == ["older than 30 days", ""]


def test_includes_keep_the_folders_on_the_way() -> None:
    rules = FileRules(includes=("/public/", "*.sql"), excludes=("tmp/",))
    assert judged(rules, "public/", "public/deep/x", "other/", "other/a.sql", "other/b") == [
        "",
        "",
        ON_THE_WAY,
        "",
        "not included",
    ]
    assert judged(rules, "public/", "public/tmp/") == ["", "tmp/"]


def test_names_that_are_not_utf8_are_judged_too() -> None:
    chooser = FileSelector(FileRules(excludes=("*.log",)), 0)
    assert chooser.judge(b"caf\xe9.log", False, True, 1, 0) == "*.log"
    assert chooser.judge(b"caf\xe9", False, True, 1, 0) == ""


@pytest.mark.parametrize("text", ["", "   ", "# comment", "a\nb", "!"])
def test_what_is_no_pattern_is_refused(text: str) -> None:
    with pytest.raises(SettingError, match="not a pattern"):
        check_pattern(text)


def test_one_file_system_stops_at_a_mount(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "mounted/deep").mkdir(parents=True)
    (tmp_path / "mounted/file").write_text("elsewhere")
    stat = os.stat

    def other_device(path: bytes, **more: Any) -> Any:
        info = list(stat(path, **more))
        if path == b"mounted":
            info[2] += 1
        return os.stat_result(info)

    monkeypatch.setattr("fasciculus.core.bundle.tree.tree_walk.os.stat", other_device)
    left = []
    chosen = WalkRules(
        chooser=FileSelector(FileRules(one_file_system=True), 0),
        on_excluded=lambda p, s, rule: left.append((p, rule)),
    )
    assert [entry.path for entry in scan(os.fsencode(tmp_path), chosen=chosen)] == [b"", b"mounted"]
    assert left == [(b"mounted", "on another file system")]


def selector(rules: FileRules) -> FileSelector:
    return FileSelector(rules, 0)


def verdict(chooser: FileSelector, path: str, is_dir: bool = False) -> str:
    return chooser.judge(path.encode(), is_dir, not is_dir, 1, 0)


@pytest.mark.parametrize(
    ("pattern", "path", "out"),
    [
        ("\\*.log", "*.log", True),
        ("\\*.log", "a.log", False),
        ("\\#x", "#x", True),
        ("\\!x", "!x", True),
        ("a[!b]c", "axc", True),
        ("a[!b]c", "abc", False),
        ("a[^b]c", "abc", False),
        ("a[]]c", "a]c", True),
        ("a[b-d]c", "acc", True),
        ("a?c", "a/c", False),
        ("a*c", "a/c", False),
        ("a**c", "abbc", True),
        ("*.log", "deep/er/a.log", True),
        ("/a", "b/a", False),
        ("a/b", "x/a/b", False),
        ("**/a/b", "x/a/b", True),
        ("a/**/b", "a/b", True),
        ("a/**/b", "a/x/y/b", True),
        ("a/**", "a", False),
        ("a/**", "a/x", True),
        ("x ", "x", True),
        ("x\\ ", "x ", True),
        ("a.b", "aXb", False),
    ],
)
def test_patterns_of_gitignore(pattern: str, path: str, out: bool) -> None:
    assert bool(verdict(selector(FileRules(excludes=(pattern,))), path)) is out


def test_a_later_pattern_decides_and_what_is_inside_comes_back() -> None:
    chooser = selector(FileRules(excludes=("cache/**", "!cache/keep", "*.log", "!a.log", "a.log")))
    assert verdict(chooser, "cache/x") == "cache/**"
    assert verdict(chooser, "cache/keep") == "" and verdict(chooser, "a.log") == "a.log"


def test_a_pattern_for_folders_is_for_folders() -> None:
    chooser = selector(FileRules(excludes=("build/",)))
    assert verdict(chooser, "build", True) == "build/" and verdict(chooser, "build") == ""


def test_folders_with_rules_of_their_own() -> None:
    chooser = selector(FileRules(ignore_file=".leave", excludes=("*.bak",)))
    chooser.enter(b"", None, "top.txt\n")
    assert verdict(chooser, "top.txt") == ".leave: top.txt"
    chooser.enter(b"a", None, "x\n!y.bak\n/z\n")
    assert verdict(chooser, "a/x") == "a/.leave: x"
    assert verdict(chooser, "a/top.txt") == ".leave: top.txt", "those above hold too"
    assert verdict(chooser, "a/y.bak") == "*.bak", "the job's own still count"
    assert verdict(chooser, "a/z") == "a/.leave: /z"
    chooser.enter(b"a/deep", None, "q\n!x\n")
    assert verdict(chooser, "a/deep/x") == "", "the innermost decides"
    assert verdict(chooser, "a/deep/z") == ""
    assert verdict(chooser, "b/x") == "", "its rules end with the folder"
    assert verdict(chooser, "b/top.txt") == ".leave: top.txt"


def test_a_folder_that_is_tagged_keeps_its_tag_alone() -> None:
    mark = b"Signature: 8a477f597d28d172789f06886806bc55"
    chooser = selector(FileRules(skip_tagged_caches=True))
    assert chooser.looks_into_folders
    chooser.enter(b"a", mark + b"\n# comment", None)
    assert verdict(chooser, "a/x") == "tagged as a cache"
    assert verdict(chooser, "a/CACHEDIR.TAG") == "" and verdict(chooser, "ab/x") == ""
    chooser.enter(b"c", b"something else", None)
    chooser.enter(b"d", None, None)
    assert verdict(chooser, "c/x") == "" and verdict(chooser, "d/x") == ""
    unasked = selector(FileRules())
    unasked.enter(b"a", mark, None)
    assert verdict(unasked, "a/x") == "" and not unasked.looks_into_folders


@pytest.mark.parametrize("text", ["a\0b", "[", "a\nb", "/", "//", "!/"])
def test_what_no_pattern_may_hold(text: str) -> None:
    try:
        assert check_pattern(text) == text
    except SettingError as error:
        assert ".gitignore" in error.hint
        return
    assert text == "[", "an open bracket means itself"


def test_a_pattern_is_kept_without_the_space_around_it() -> None:
    assert check_pattern("  *.log ") == "*.log"
    assert FileRules().everything and not FileRules(excludes=("x",)).everything
