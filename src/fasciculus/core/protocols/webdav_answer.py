"""A WebDAV server's answer to PROPFIND: the Multi-Status document of RFC 4918."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from email.utils import parsedate_to_datetime
from urllib.parse import unquote, urlsplit
from xml.etree.ElementTree import Element, ParseError

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from ..errors import DamagedError

_DAV = "{DAV:}"
#: What is asked for; the last one is RFC 4331.
PROPERTIES = (
    b'<?xml version="1.0" encoding="utf-8"?><D:propfind xmlns:D="DAV:"><D:prop><D:resourcetype/>'
    b"<D:getcontentlength/><D:getlastmodified/><D:quota-available-bytes/></D:prop></D:propfind>"
)


@dataclass(frozen=True, slots=True)
class Resource:
    """A file or folder that the server names; ``path`` is decoded, without a slash at its end."""

    path: str
    folder: bool
    size: int
    modified: datetime | None
    free: int | None

    @property
    def name(self) -> str:
        """Return the last part of its path."""
        return self.path.rpartition("/")[2]


def parse_resources(document: bytes) -> list[Resource]:
    """Return what an answer names. Raises :class:`DamagedError` for anything that is not one."""
    try:
        root = fromstring(document, forbid_dtd=True)
    except (ParseError, DefusedXmlException, ValueError, RecursionError) as error:
        raise DamagedError(
            "The server's answer to PROPFIND cannot be read.", "Is this the address of WebDAV?"
        ) from error
    if root.tag != f"{_DAV}multistatus":
        raise DamagedError(
            "The server's answer to PROPFIND is no list of files.",
            "Is this the address of WebDAV?",
        )
    return [row for found in root.iter(f"{_DAV}response") if (row := _resource(found)) is not None]


def _resource(response: Element) -> Resource | None:
    href = response.findtext(f"{_DAV}href")
    if not href:
        return None
    values: dict[str, Element] = {}
    for propstat in response.iter(f"{_DAV}propstat"):
        if " 200" in propstat.findtext(f"{_DAV}status", " 200"):
            for prop in propstat.iter(f"{_DAV}prop"):
                values.update((child.tag, child) for child in prop)
    kind = values.get(f"{_DAV}resourcetype")
    return Resource(
        unquote(urlsplit(href.strip()).path).rstrip("/"),
        kind is not None and kind.find(f"{_DAV}collection") is not None,
        _number(values.get(f"{_DAV}getcontentlength")) or 0,
        _moment(values.get(f"{_DAV}getlastmodified")),
        _number(values.get(f"{_DAV}quota-available-bytes")),
    )


def _number(element: Element | None) -> int | None:
    text = (element.text or "").strip() if element is not None else ""
    # A negative number is a server's way of saying that it does not know.
    return int(text) if text.isascii() and text.isdigit() and len(text) < 19 else None


def _moment(element: Element | None) -> datetime | None:
    try:
        found = parsedate_to_datetime((element.text or "").strip()) if element is not None else None
    except (ValueError, TypeError, IndexError, OverflowError):
        return None
    return found.replace(tzinfo=UTC) if found is not None and found.tzinfo is None else found
