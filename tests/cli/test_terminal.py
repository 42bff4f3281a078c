"""Nothing that is printed moves a cursor, sets a title or ends a command with a traceback."""

from __future__ import annotations

import io
import json
from pathlib import Path
from typing import Any

import pytest
from rich.table import Table
from rich.text import Text
from running import Service, folder_stores, run, set_up, small_account

from fasciculus.cli.terminal import SafeConsole, visible

ODD = "a\x1b]0;title\x07\x1b[31mred\x9b2J\x08\x7f\u202eevil\r[/red] [link=x]y"


def test_control_characters_become_signs_of_the_same_width() -> None:
    shown = visible(ODD)
    assert shown.isprintable() and len(shown) == len(ODD)
    assert shown.startswith("a␛]0;title␇␛[31mred") and "\u202e" not in shown
    assert visible("größe 日本\n\t🪶") == "größe 日本\n\t🪶"


def test_no_way_to_print_lets_them_through() -> None:
    sink = io.StringIO()
    console = SafeConsole(file=sink, width=200, force_terminal=False)
    table = Table(ODD, title=ODD)
    table.add_row(Text(ODD))
    table.add_row(ODD)
    for thing in (ODD, Text(ODD, style="red"), table):
        console.print(thing)
        console.print(thing, style="green", soft_wrap=True)
    assert all(c == "\n" or c.isprintable() for c in sink.getvalue()), repr(sink.getvalue())
    assert "[link=x]" in sink.getvalue(), "square brackets are what they are"


def test_a_file_with_an_evil_name_is_shown_and_kept_in_json(
    running: Service, tmp_path: Path
) -> None:
    client = running.client()
    account = small_account(tmp_path, "millpond")
    (tmp_path / "millpond/\x1b]0;owned\x07").write_text("x")
    set_up(client, [account], folder_stores(tmp_path, "attic"))
    assert run(client, "nightly").outcome == "done"
    number = str(client.bundles_list().items[0].id)
    said = running.cli("bundles", "files", number)
    assert "␛]0;owned" in said.stdout
    assert not {"\x1b", "\x07"} & set(said.stdout)
    rows = json.loads(running.cli("bundles", "files", number, "--json").stdout)
    assert "\x1b]0;owned\x07" in json.dumps(rows, ensure_ascii=False).encode().decode(
        "unicode_escape"
    )


@pytest.mark.parametrize(
    "words",
    [
        ("jobs", "copy", "nightly", "mühle"),
        ("jobs", "show", "mühle\udcff"),
        ("accounts", "show", "mühle"),
        ("start", "ü"),
        ("search", "ü\udcff"),
        ("tokens", "add", "ü\udcff"),
        ("restore", "1", "--to", "/tmp/ü\udcff"),
        ("reports", "try", "nightly", "gärtner@mühle.example"),
        ("bundles", "files", "1", "ü\udcff"),
    ],
)
def test_no_odd_name_ends_in_a_traceback(running: Service, words: tuple[Any, ...]) -> None:
    running.client()
    said = running.program(*words)
    assert said.returncode not in (0, 1), said
    assert "Traceback" not in said.stderr and said.stderr.startswith(("fasciculus:", "Usage")), said
