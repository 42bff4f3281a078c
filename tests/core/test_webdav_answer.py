"""Answers of WebDAV servers to PROPFIND, and what is none."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest

from fasciculus.core.errors import DamagedError
from fasciculus.core.protocols.webdav_answer import Resource, parse_resources


def answer(*responses: str) -> bytes:
    text = "".join(f"<d:response>{row}</d:response>" for row in responses)
    return f'<?xml version="1.0"?><d:multistatus xmlns:d="DAV:">{text}</d:multistatus>'.encode()


def told(prop: str, status: str = "HTTP/1.1 200 OK") -> str:
    return f"<d:propstat><d:prop>{prop}</d:prop><d:status>{status}</d:status></d:propstat>"


def test_files_and_folders_are_told_apart() -> None:
    folder = told(
        "<d:resourcetype><d:collection/></d:resourcetype>"
        "<d:quota-available-bytes>9000</d:quota-available-bytes>"
    )
    file = told(
        "<d:resourcetype/><d:getcontentlength>16</d:getcontentlength>"
        "<d:getlastmodified>Mon, 30 Nov 2026 14:00:00 GMT</d:getlastmodified>"
    ) + told("<d:quota-available-bytes>5</d:quota-available-bytes>", "HTTP/1.1 404 Not Found")
    found = parse_resources(
        answer(
            f"<d:href>https://space.example/attic/two%20pots/</d:href>{folder}",
            f"<d:href>\n/attic/bundle.json </d:href>{file}",
        )
    )
    assert found == [
        Resource("/attic/two pots", True, 0, None, 9000),
        Resource("/attic/bundle.json", False, 16, datetime(2026, 11, 30, 14, tzinfo=UTC), None),
    ]
    assert [row.name for row in found] == ["two pots", "bundle.json"]


@pytest.mark.parametrize(
    ("prop", "expected"),
    [
        ("<d:getcontentlength>-1</d:getcontentlength>", (0, None)),
        ("<d:getcontentlength>1e9</d:getcontentlength>", (0, None)),
        ("<d:getcontentlength>٣</d:getcontentlength>", (0, None)),
        (f"<d:getcontentlength>{'9' * 19}</d:getcontentlength>", (0, None)),
        ("<d:getlastmodified>at noon</d:getlastmodified>", (0, None)),
        ("<d:getlastmodified>Mon, 30 Nov 9999999 14:00:00 GMT</d:getlastmodified>", (0, None)),
    ],
)
def test_odd_values_cost_themselves(prop: str, expected: Any) -> None:
    (found,) = parse_resources(answer(f"<d:href>/a</d:href>{told(prop)}", "<d:status/>"))
    assert (found.size, found.modified) == expected


@pytest.mark.parametrize(
    "document",
    [
        b"",
        b"<html><body>Welcome</body></html>",
        b'<!DOCTYPE x [<!ENTITY a "b">]><d:multistatus xmlns:d="DAV:"/>',
        b"<d:multistatus xmlns:d='DAV:'>",
        b"\xff\xfe\x00",
    ],
)
def test_what_is_no_list_of_files_is_refused(document: bytes) -> None:
    with pytest.raises(DamagedError, match="PROPFIND"):
        parse_resources(document)
