"""The syntax of keep rules.

Some of these, with commas between; a copy stays if any of them wants it::

    7 newest             the last seven that were made
    30 days              all that were made in the 30 days before the newest ones
    24 hourly            the last one of each of the last 24 hours that have one
    14 daily             and so for days, weeks (from Monday), months and years
    yearly forever       the last one of each year, without end
    forever              all
    at least 3           however old they are, never fewer

The larger of two parts of the same kind counts.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache

from ..errors import SettingError
from ..formatting import format_count, format_list

#: The spans of which one copy may stay, from the shortest.
SPANS = ("hourly", "daily", "weekly", "monthly", "yearly")
_MOST = 10_000
#: As a count: without end.
FOR_EVER = 1_000_000_000
_FORMS = (
    "Write for example “7 newest”, “14 daily, 8 weekly, 12 monthly”, “30 days, at least 3”, "
    "“yearly forever” or “forever”."
)


@dataclass(frozen=True, slots=True)
class KeepRule:
    """A keep rule. ``spans`` has, by name of the span, the number of spans whose last copy stays;
    ``days`` is the age up to which all copies stay; ``least`` the number that stay at any age.
    """

    newest: int = 0
    days: int = 0
    spans: Mapping[str, int] = field(default_factory=dict)
    least: int = 1

    @property
    def bound(self) -> int:
        """Return the maximum number of copies it keeps, if known."""
        if self.days or self.newest >= FOR_EVER:
            return FOR_EVER
        return min(max(self.least, self.newest + sum(self.spans.values())), FOR_EVER)

    @property
    def plain(self) -> bool:
        """Return whether it counts copies alone, and no days."""
        return not self.days and not self.spans

    @property
    def text(self) -> str:
        """Its text, which parses to the same rule."""
        if self.newest >= FOR_EVER:
            return "forever"
        parts = [f"{self.newest} newest"] if self.newest else []
        parts += [f"{self.days} days"] if self.days else []
        parts += [
            f"{span} forever" if count >= FOR_EVER else f"{count} {span}"
            for span in SPANS
            if (count := self.spans.get(span, 0))
        ]
        parts += [f"at least {self.least}"] if self.least > 1 else []
        return ", ".join(parts)

    @property
    def words(self) -> str:
        """Return what stays, as the object of “keeps”."""
        if self.newest >= FOR_EVER:
            return "every copy forever"
        parts = [f"the newest {format_count(self.newest, 'copy', 'copies')}"] if self.newest else []
        parts += [f"all copies of the last {format_count(self.days, 'day')}"] if self.days else []
        counted = [
            f"{span} forever" if count >= FOR_EVER else f"{count:,} {span}"
            for span in SPANS
            if (count := self.spans.get(span, 0))
        ]
        words = format_list(parts)
        if counted:
            words += (
                f", and {format_list(counted)} ones" if parts else f"{format_list(counted)} copies"
            )
        return words + (f", never fewer than {self.least}" if self.least > 1 else "")


def _bad(message: str) -> SettingError:
    return SettingError(message, _FORMS, field="keep")


@lru_cache(maxsize=1024)
def parse(text: str) -> KeepRule:
    """Read a keep rule; a plain number means that many newest copies.

    A copy stays if any part wants it: of two parts of one kind the larger one counts.

    Raises :class:`SettingError` with the accepted forms when it cannot be read, or when it would
    keep nothing.
    """
    newest = days = 0
    least = 1
    spans: dict[str, int] = {}
    for part in text.split(","):
        words = " ".join(part.lower().split())
        if found := re.fullmatch(r"(\d+)(?: newest)?", words):
            newest = max(newest, _count(found[1]))
        elif words in ("forever", "for ever"):
            newest = FOR_EVER
        elif found := re.fullmatch(r"(?:all of )?(\d+) days?", words):
            days = max(days, _count(found[1]))
        elif found := re.fullmatch(r"(\d+) (\w+)", words):
            span = _span(found[2], words)
            spans[span] = max(spans.get(span, 0), _count(found[1]))
        elif found := re.fullmatch(r"(\w+) for ?ever", words):
            spans[_span(found[1], words)] = FOR_EVER
        elif found := re.fullmatch(r"at least (\d+)", words):
            least = max(least, _count(found[1]))
        else:
            raise _bad(f"“{words}” is not a keep rule." if words else "The keep rule is empty.")
    if not (newest or days or spans):
        raise _bad(f"“{text.strip()}” does not say which copies stay.")
    return KeepRule(newest, days, spans, least)


def _span(word: str, part: str) -> str:
    if word not in SPANS:
        raise _bad(f"“{part}” is not a keep rule.")
    return word


def _count(digits: str) -> int:
    count = int(digits)
    if not 1 <= count <= _MOST:
        raise _bad(f"{digits} cannot be kept; give a number from 1 to {_MOST:,}.")
    return count
