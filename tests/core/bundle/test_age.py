"""Age files as someone else may have left them in a store."""

from __future__ import annotations

from typing import Any

import pyrage
import pytest

from fasciculus.core.bundle.seal import age
from fasciculus.core.errors import DamagedError, SettingError

PIECE = b"heron" * 40_000


@pytest.fixture(scope="module")
def identity() -> pyrage.x25519.Identity:
    return pyrage.x25519.Identity.generate()


@pytest.fixture(scope="module")
def sealed(identity: Any) -> bytes:
    return pyrage.encrypt(PIECE, [identity.to_public()])


@pytest.mark.parametrize(
    "stanza",
    [
        b"-> X25519\n",
        b"-> X25519 AAAA\nAAAA\n",
        b"-> X25519 !!!! \n????\n",
        b"-> X25519 " + b"A" * 43 + b" more\n" + b"A" * 43 + b"\n",
        b"-> X25519 " + b"A" * 43 + b"\n" + b"A" * 43 + b"\n",
        b"-> plain \xff\n",
    ],
)
def test_an_odd_stanza_never_opens_a_file_and_never_stops_the_reading(
    stanza: bytes, sealed: bytes, identity: Any
) -> None:
    intro, rest = sealed.split(b"\n", 1)
    with pytest.raises(DamagedError, match="header of piece was altered"):
        age.payload_key(intro + b"\n" + stanza + rest, "piece", [str(identity)])
    only = intro + b"\n" + stanza + rest[rest.index(b"--- ") :]
    with pytest.raises(age.NoKeyError):
        age.payload_key(only, "piece", [str(identity)])


def test_every_beginning_of_a_file_asks_for_more_until_its_key_is_there(
    sealed: bytes, identity: Any
) -> None:
    found = age.payload_key(sealed, "piece", [str(identity)])
    assert found is not None
    for length in range(found.begin):
        assert age.payload_key(sealed[:length], "piece", [str(identity)]) is None
    assert age.payload_key(sealed[: found.begin], "piece", [str(identity)]) == found


def test_a_file_of_another_kind_is_said_to_be_one() -> None:
    for head in (b"PK\x03\x04", b"age-encryption.org/v2\n-> X\n--- AAAA\n" + bytes(16)):
        with pytest.raises(DamagedError, match="is no age file"):
            age.payload_key(head, "piece", [])


def test_a_mistyped_identity_is_refused_at_its_field(identity: Any) -> None:
    text = str(identity)
    other = "Q" if text[30] != "Q" else "P"
    public = str(identity.to_public())
    for wrong in ("", "1", text[:-1], text[:30] + other + text[31:], text[:9].lower() + text[9:]):
        with pytest.raises(SettingError) as refused:
            age.private_key(wrong)
        assert refused.value.field == "identity"
    with pytest.raises(SettingError):
        age.private_key(public)
    assert (
        age.private_key(f" {text.lower()}\n").private_bytes_raw()
        == age.private_key(text).private_bytes_raw()
    )
