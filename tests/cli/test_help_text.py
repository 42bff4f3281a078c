"""Help in sections: nothing left out, words in place of Python's types."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import pytest
from typer.testing import CliRunner

from fasciculus.cli.main import ENTRIES, app


def commands() -> Iterator[list[str]]:
    for name, entry in ENTRIES.items():
        group: Any = entry.load()
        yield [name]
        yield from ([name, verb] for verb in getattr(group, "commands", {}))


def shown(*words: str) -> str:
    result = CliRunner().invoke(app, [*words, "--help"], env={"COLUMNS": "100"})
    assert result.exit_code == 0, result.output
    return result.output


@pytest.mark.parametrize("words", list(commands()), ids=" ".join)
def test_every_help_fits_the_width_and_names_no_type_of_python(words: list[str]) -> None:
    text = shown(*words)
    assert not re.search(r"<(int|str|float|bool|list)\b", text), text
    assert max(map(len, text.splitlines())) <= 100
    assert "╭" not in text


def test_options_are_listed_by_section_in_the_order_of_the_form() -> None:
    headings = re.findall(r"^(\S.*):$", shown("jobs", "add"), re.MULTILINE)
    assert headings[:4] == ["Arguments", "What", "Files", "Databases"] and len(headings) > 9
    assert headings[-1] == "Options"


def test_commands_have_their_whole_description() -> None:
    wanted = "Measure the files that a job would include, and what each exclude saves."
    text = " ".join(shown("jobs").split())
    assert wanted in text and "..." not in text.partition("Commands:")[2]
