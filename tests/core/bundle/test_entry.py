"""Entries and their paths as text."""

from __future__ import annotations

import pytest

from fasciculus.core.bundle.entry import Entry, to_bytes, to_text
from fasciculus.core.errors import SettingError


@pytest.mark.parametrize("path", [b"plain/name", "brücke".encode(), b"odd\xff\xfe", b"base\n"])
def test_a_path_travels_as_text_and_comes_back(path: bytes) -> None:
    assert to_bytes(to_text(path)) == path
    assert to_text(path).startswith("base64:") == (b"\xff" in path)


def test_a_path_that_is_none_is_refused_at_its_field() -> None:
    with pytest.raises(SettingError) as caught:
        to_bytes("base64:!!!")
    assert caught.value.field == "paths"
    assert to_bytes("/files/") == b"files"
    assert Entry("files", b"odd\xff").text == "odd\\xff"
