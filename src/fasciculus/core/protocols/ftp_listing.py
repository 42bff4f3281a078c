"""Lines of an FTP server's directory listing: MLSD (RFC 3659), and the two habits of LIST."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal

_MONTHS = {
    name: number
    for number, name in enumerate(
        ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"), 1
    )
}
_UNIX = re.compile(
    r"([bcdlps-])([rwxsStTlL-]{9})[+.@]?\s+\d+\s+(?:(\S+)\s+)?(?:(\S+)\s+)?(\d+)\s+"
    r"([A-Za-z]{3})\s+(\d{1,2})\s+(\d{4}|\d{1,2}:\d{2})\s(.*)",
    re.S,
)
_DOS = re.compile(
    r"(\d{2})-(\d{2})-(\d{2,4})\s+(\d{1,2}):(\d{2})([AP]M)\s+(<DIR>|\d+)\s+(.*)", re.S
)
_BITS = (0o400, 0o200, 0o100, 0o40, 0o20, 0o10, 0o4, 0o2, 0o1)

Kind = Literal["file", "folder", "link", "other"]


@dataclass(frozen=True, slots=True)
class FtpEntry:
    """A name in a folder. ``mode`` is None where the server does not tell it.

    ``mtime`` is in UTC, as exact as ``grain``, in seconds: one for MLSD, a minute or a day for
    LIST, whose times are moreover in the server's own zone.
    """

    name: str
    kind: Kind
    size: int = 0
    mtime: datetime | None = None
    grain: int = 1
    mode: int | None = None
    target: str = ""


def parse_facts(line: str) -> FtpEntry | None:
    """Return an entry of MLSD; None for the folder itself, the one above it, and what is
    no entry.
    """
    facts_text, space, name = line.partition(" ")
    if not space or not name:
        return None
    facts = {
        key.lower(): value
        for key, equals, value in (fact.partition("=") for fact in facts_text.split(";"))
        if equals
    }
    kind = _kind_of(facts.get("type", "").lower())
    if kind is None:
        return None
    mode = facts.get("unix.mode", "")
    return FtpEntry(
        name,
        kind,
        _size(facts.get("size", "")),
        _moment(facts.get("modify", "")),
        1,
        int(mode, 8) & 0o7777 if re.fullmatch(r"[0-7]{1,6}", mode) else None,
        facts.get("type", "")[len("os.unix=slink:") :] if kind == "link" else "",
    )


def _kind_of(text: str) -> Kind | None:
    if text in ("cdir", "pdir"):
        return None
    if text.startswith(("os.unix=slink", "os.unix=symlink")):
        return "link"
    kinds: dict[str, Kind] = {"file": "file", "dir": "folder"}
    return kinds.get(text, "other")


def _size(text: str) -> int:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 19 else 0


def _moment(text: str) -> datetime | None:
    try:
        return datetime.strptime(text[:14], "%Y%m%d%H%M%S").replace(tzinfo=UTC)
    except ValueError:
        return None


def parse_list(line: str, now: datetime) -> FtpEntry | None:
    """Return an entry of LIST as Unix and DOS servers write it; None for what is none.

    ``now`` tells the year where the line has none: the latest that is not in the future.
    """
    if match := _UNIX.fullmatch(line):
        return _unix(match, now)
    if match := _DOS.fullmatch(line):
        return _dos(match)
    return None


def _unix(match: re.Match[str], now: datetime) -> FtpEntry | None:
    letter, rights, size, month, day, clock, name = match.group(1, 2, 5, 6, 7, 8, 9)
    number = _MONTHS.get(month.lower())
    if number is None or name in (".", ".."):
        return None
    kinds: dict[str, Kind] = {"-": "file", "d": "folder", "l": "link"}
    target = ""
    if letter == "l":
        name, _, target = name.partition(" -> ")
    mtime, grain = _unix_time(number, int(day), clock, now)
    return FtpEntry(
        name, kinds.get(letter, "other"), _size(size), mtime, grain, _mode(rights), target
    )


def _unix_time(month: int, day: int, clock: str, now: datetime) -> tuple[datetime | None, int]:
    try:
        if ":" not in clock:
            return datetime(int(clock), month, day, tzinfo=UTC), 86_400
        hour, minute = (int(part) for part in clock.split(":"))
        found = datetime(now.year, month, day, hour, minute, tzinfo=UTC)
        # A server east of here is ahead by up to half a day.
        return (found.replace(year=now.year - 1) if found > now + timedelta(days=1) else found), 60
    except ValueError:
        return None, 1


def _mode(rights: str) -> int:
    mode = sum(bit for bit, letter in zip(_BITS, rights, strict=True) if letter in "rwxst")
    for place, bit in ((2, 0o4000), (5, 0o2000), (8, 0o1000)):
        if rights[place] in "sStTlL":
            mode |= bit
    return mode


def _dos(match: re.Match[str]) -> FtpEntry | None:
    month, day, year, hour, minute, half, size, name = match.groups()
    full_year = int(year) if len(year) == 4 else 2000 + int(year)
    try:
        hours = int(hour) % 12 + (12 if half == "PM" else 0)
        mtime = datetime(full_year, int(month), int(day), hours, int(minute), tzinfo=UTC)
    except ValueError:
        return None
    if size == "<DIR>":
        return FtpEntry(name, "folder", 0, mtime, 60)
    return FtpEntry(name, "file", _size(size), mtime, 60)
