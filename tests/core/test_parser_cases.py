"""What the console's forms make of a text means the same here: ``parser_cases.json``, which
``console/src/features/jobs/fields/texts.test.ts`` reads as well.
"""

from __future__ import annotations

import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from fasciculus.core import retention, schedule
from fasciculus.core.errors import SettingError

CASES = json.loads((Path(__file__).parent / "parser_cases.json").read_text())
NOW = datetime(2026, 11, 29, 12, tzinfo=UTC)


def starts(text: str) -> list[Any]:
    found = schedule.parse(text)
    return schedule.next_starts(found, schedule.zone("UTC"), NOW, 40)


@pytest.mark.parametrize("case", CASES["timetables"], ids=lambda case: case["text"])
def test_a_timetable_that_a_form_has_written_starts_as_before(case: dict[Any, Any]) -> None:
    if case.get("refused"):
        with pytest.raises(SettingError):
            schedule.parse(case["text"])
    elif case["written"]:
        assert starts(case["written"]) == starts(case["text"])
    else:
        assert starts(case["text"]), "it is left as written"


@pytest.mark.parametrize("case", CASES["keep_rules"], ids=lambda case: case["text"])
def test_a_keep_rule_that_a_form_has_written_keeps_the_same(case: dict[Any, Any]) -> None:
    if case.get("refused"):
        with pytest.raises(SettingError):
            retention.parse(case["text"])
    elif case["written"]:
        assert retention.parse(case["written"]) == retention.parse(case["text"])
    else:
        assert retention.parse(case["text"]).text == case["text"]
