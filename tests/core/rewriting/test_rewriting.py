"""Rewriting texts in plain and serialised values; PHP itself reads what comes out."""

from __future__ import annotations

import json
import subprocess
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fasciculus.core.rewriting.texts import Texts
from fasciculus.core.rewriting.values import ValueWriter

OLD, NEW = "millpond.example", "try.millpond.example"
PATH, BESIDE = "/home/millpond/www", "/home/millpond/www-try"
TEXTS = Texts({OLD: NEW, PATH: BESIDE})


def rewritten(data: str) -> str:
    return ValueWriter(TEXTS).value(data.encode()).decode()


@pytest.mark.parametrize(
    ("before", "after"),
    [
        (f"https://{OLD}/a", f"https://{NEW}/a"),
        (f"{OLD}.", f"{NEW}."),
        (f"info@{OLD} shop.{OLD} x{OLD} {OLD}x {OLD}.au", None),
        (f"{PATH}/index.php {PATH}", f"{BESIDE}/index.php {BESIDE}"),
        (f"{PATH}2 {PATH}-try {PATH}.old /srv{PATH}", None),
        (f"file://{PATH}/a", f"file://{BESIDE}/a"),
        (r"{\"u\":\"\/home\/millpond\/www\/a\"}", r"{\"u\":\"\/home\/millpond\/www-try\/a\"}"),
        ("?to=%2Fhome%2Fmillpond%2Fwww", "?to=%2Fhome%2Fmillpond%2Fwww-try"),
        (f's:{len(OLD)}:"{OLD}";', f's:{len(NEW)}:"{NEW}";'),
        (f'C:1:"X":{len(PATH)}:{{{PATH}}}', f'C:1:"X":{len(BESIDE)}:{{{BESIDE}}}'),
    ],
)
def test_texts_count_only_by_themselves(before: str, after: str | None) -> None:
    assert rewritten(before) == (before if after is None else after)


def php(value: Any) -> str:
    """Serialise as PHP does."""
    if value is None:
        return "N;"
    if isinstance(value, bool):
        return f"b:{int(value)};"
    if isinstance(value, int):
        return f"i:{value};"
    if isinstance(value, str):
        return f's:{len(value.encode())}:"{value}";'
    items = value.items() if isinstance(value, dict) else enumerate(value)
    inner = "".join(php(key) + php(item) for key, item in items)
    return f"a:{len(value)}:{{{inner}}}"


texts = st.lists(
    st.sampled_from([OLD, PATH, " ", "/", "é", '";s:3:"', "x", f"info@{OLD}", "}", "\\"]),
    max_size=5,
).map("".join)
values = st.recursive(
    st.none() | st.booleans() | st.integers(-9, 9) | texts,
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(texts, inner, max_size=3),
    max_leaves=8,
)


def expected(value: Any) -> Any:
    if isinstance(value, str):
        return TEXTS.replaced(value.encode())[0].decode()
    if isinstance(value, list):
        return [expected(item) for item in value]
    if isinstance(value, dict):
        return {expected(key): expected(item) for key, item in value.items()}
    return value


@given(values)
def test_lengths_are_right_at_every_depth(value: Any) -> None:
    assert rewritten(php(value)) == php(expected(value))
    assert rewritten(php(php(value))) == php(php(expected(value))), "serialised twice"


@settings(max_examples=1)
@given(st.lists(values, min_size=60, max_size=60))
def test_php_reads_what_was_rewritten(found: list[Any]) -> None:
    lines = json.dumps([rewritten(php(value)) for value in found])
    code = (
        "foreach (json_decode(stream_get_contents(STDIN)) as $v) "
        "if (@unserialize($v) === false && $v !== 'b:0;') { echo $v; exit(1); }"
    )
    done = subprocess.run(["php", "-r", code], input=lines, capture_output=True, text=True)
    assert done.returncode == 0, done.stdout + done.stderr


@pytest.mark.parametrize(
    "damaged",
    [
        f's:3:"{OLD}";',
        f'a:2:{{i:0;s:{len(OLD)}:"{OLD}";}}',
        f'{{"v":"a:1:{{i:0;s:{len(OLD)}:\\"{OLD}\\";}}"}}',
        f'O:8:"stdClass":1:{{s:1:"u";s:9:"{OLD}";}}',
    ],
)
def test_what_cannot_be_corrected_is_left_and_counted(damaged: str) -> None:
    writer = ValueWriter(TEXTS)
    assert writer.value(damaged.encode()) == damaged.encode()
    assert (writer.count, writer.skipped) == (0, 1)


def test_texts_are_counted_wherever_they_are() -> None:
    writer = ValueWriter(TEXTS)
    row = php([OLD, {"inner": php([PATH, f"{OLD} {OLD}"])}])
    shop = f'O:4:"Shop":2:{{s:1:"u";s:{len(OLD)}:"{OLD}";s:1:"n";d:0.5;}}'
    moved = f'O:4:"Shop":2:{{s:1:"u";s:{len(NEW)}:"{NEW}";s:1:"n";d:0.5;}}'
    assert writer.value(f"{row} {shop}".encode()).decode().endswith(moved)
    assert (writer.count, writer.skipped) == (5, 0)
    assert writer.value(b"nothing of it") == b"nothing of it" and writer.count == 5


@pytest.mark.parametrize(
    "text",
    ['a:x:{{"{}"}}', 'O:99:"x":0:{{}} {}', 'O:1:"x', "a:1:{{i:0;b:1", 'x a:1:{{i:0;s:1:"', "s:"],
)
def test_what_only_looks_serialised_is_plain_text(text: str) -> None:
    before = "> " + text.format(OLD) + f" {OLD}"
    assert rewritten(before) == before.replace(OLD, NEW)


def test_no_text_and_the_longest_text() -> None:
    nothing = Texts({})
    assert not nothing and not nothing.found(OLD.encode())
    assert nothing.replaced(b"as it is") == (b"as it is", 0)
    both = Texts({OLD: NEW, f"{OLD}/shop": "shop.millpond.example"})
    assert both and both.found(OLD.encode()) and not both.found(b"else")
    assert both.replaced(f"{OLD}/shop {OLD}".encode()) == (
        f"shop.millpond.example {NEW}".encode(),
        2,
    )


def test_hostile_values_end_in_time() -> None:
    for data in (b"a:1:{" * 100_000 + OLD.encode(), b's:1:"' * 100_000 + b" " + OLD.encode()):
        writer = ValueWriter(TEXTS)
        assert writer.value(data) in (data, data[: -len(OLD)] + NEW.encode())
