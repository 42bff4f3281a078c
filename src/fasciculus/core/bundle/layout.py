"""Names and places inside a store (bundle format, version 1)."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, datetime, timedelta

from ..contents import Contents
from ..errors import SettingError

#: What ends the name of a sealed file (the age format, version 1).
SUFFIX = ".age"
STORE_FILE = "fasciculus-store.json"
MANIFEST = "bundle.json"
LISTING = "listing.jsonl.zst"
SUMS = "SHA256SUMS"
KINDS = tuple(Contents)

_LISTING = re.compile(r"listing(?:-(\d+))?\.jsonl\.zst(?:\.age)?")
_SAFE = re.compile(r"[a-z0-9](?:[a-z0-9._-]{0,62}[a-z0-9])?")
_STORE_ID = re.compile(r"[0-9a-f]{32}")
_NUMBER = re.compile(r"\.(\d+)$")
_PIECE = re.compile(r"\.(files|databases|mail|system|notes)-(\d+)\.tar.*$")
_BUNDLE = re.compile(r"(\d{4}-\d{2}-\d{2}T\d{6}Z)-([a-z0-9._-]+)")
#: A file of a bundle, by its path on a store.
_FILE = re.compile(
    r"(?:accounts|sites|hosts)/([^/]+)/"
    r"(?:bundles/([^/]+)/(?:bundle\.json|SHA256SUMS|listing(?:-\d+)?\.jsonl\.zst(?:\.age)?)"
    r"|pieces/([^/]+))"
)


def is_store_id(text: str) -> bool:
    """Return whether a text can be a store's id: 32 hexadecimal digits."""
    return _STORE_ID.fullmatch(text) is not None


def check_name(name: str, field: str = "name") -> str:
    """Return a name that is safe as a folder on every kind of store, or :class:`SettingError`."""
    if not _SAFE.fullmatch(name) or ".." in name:
        raise SettingError(
            f"“{name}” cannot be used as a name.",
            "Use 1 to 64 small letters, digits, dots, dashes and underscores, "
            "starting and ending with a letter or a digit.",
            field=field,
        )
    return name


def bundle_name(moment: datetime, job: str, taken: Iterable[str] = ()) -> str:
    """Return a new bundle's name: the UTC moment and the job, e.g. ``2026-11-24T021500Z-nightly``.

    Names sort by time. Others of the same second get ``.2``, ``.3`` and so on: a number beyond all
    that are taken, since one that is free again would count as older than they."""
    base = f"{moment.astimezone(UTC):%Y-%m-%dT%H%M%SZ}-{job}"
    number = (
        max(
            (
                _number(name)
                for name in taken
                if name == base
                or (name.startswith(f"{base}.") and name[len(base) + 1 :].isdecimal())
            ),
            default=0,
        )
        + 1
    )
    return base if number == 1 else f"{base}.{number}"


def _number(name: str) -> int:
    match = _NUMBER.search(name)
    return int(match[1]) if match else 1


def moment_of(name: str) -> datetime | None:
    """Return the time in a bundle's name, or None if it has none.

    Bundles of the same second are a microsecond apart.
    """
    match = _BUNDLE.fullmatch(name)
    if not match:
        return None
    return datetime.fromisoformat(match[1]) + timedelta(
        microseconds=min(_number(name), 1_000_000) - 1
    )


def is_bundle_file(path: str) -> bool:
    """Return whether a path on a store can be that of a file of a bundle."""
    match = _FILE.fullmatch(path)
    if match is None or not _SAFE.fullmatch(match[1]) or ".." in path:
        return False
    if match[2] is not None:
        return _BUNDLE.fullmatch(match[2]) is not None
    return _PIECE.search(match[3]) is not None and _BUNDLE.match(match[3]) is not None


def bundle_of(piece: str) -> str:
    """Return the bundle that brought a piece, by the piece's name."""
    return _PIECE.sub("", piece)


def kind_and_number(piece: str) -> tuple[str, int]:
    """Return a piece's kind of contents and its number among those of its bundle; ``ValueError``
    when it is none.
    """
    match = _PIECE.search(piece)
    if not match:
        raise ValueError(f"{piece} is not a piece's name")
    return match[1], int(match[2])


def is_listing(name: str) -> bool:
    """Return whether a listing may be called so."""
    return _LISTING.fullmatch(name) is not None


def next_listing(name: str) -> str:
    """Return the name of the listing that takes this one's place, e.g. ``listing-2.jsonl.zst``."""
    match = _LISTING.fullmatch(name)
    return f"listing-{int(match[1] or 1) + 1 if match else 2}.jsonl.zst"


def piece_name(bundle: str, kind: str, number: int, suffix: str) -> str:
    """Return a piece's file name, e.g. ``2026-11-24T021500Z-nightly.files-0001.tar.zst``."""
    return f"{bundle}.{kind}-{number:04d}{suffix}"
