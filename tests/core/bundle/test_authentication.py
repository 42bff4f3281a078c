"""The tag of a manifest, held against what OpenSSL computes, and what it tells."""

from __future__ import annotations

import hashlib
import hmac
import json
import re
import subprocess

import pytest

from fasciculus.core.bundle.seal.authentication import Origin, authenticate, key_name, origin_of

KEY, OTHER = b"k" * 32, b"o" * 32
TEXT = b'{\n "format": "fasciculus-bundle",\n "name": "n"\n}\n'


def test_the_tag_is_an_hmac_over_all_bytes_before_it() -> None:
    signed = authenticate(TEXT, KEY)
    head, _, tail = signed.partition(b',\n "authentication": ')
    assert head == TEXT.removesuffix(b"\n}\n") and tail.endswith(b"}\n}\n")
    command = ["openssl", "dgst", "-sha256", "-mac", "HMAC", "-macopt", f"hexkey:{KEY.hex()}"]
    said = subprocess.run(command, input=head, capture_output=True, check=True).stdout
    (tag,) = re.findall(rb'"tag": "([0-9a-f]{64})"', tail)
    assert said.split()[-1] == tag
    assert key_name(KEY).encode() in tail and KEY.hex().encode() not in tail
    assert authenticate(TEXT, b"") == TEXT


@pytest.mark.parametrize("at", [0, 20, -4, -30, -120])
def test_any_byte_that_differs_is_told(at: int) -> None:
    signed = authenticate(TEXT, KEY)
    assert origin_of(signed, KEY) is Origin.OURS
    changed = bytearray(signed)
    changed[at] ^= 1
    assert origin_of(bytes(changed), KEY) in (Origin.ALTERED, Origin.UNKNOWN)


def test_what_is_of_nobody_and_of_another() -> None:
    assert origin_of(TEXT, KEY) is Origin.UNKNOWN, "without a tag"
    assert origin_of(authenticate(TEXT, OTHER), KEY) is Origin.UNKNOWN
    assert origin_of(authenticate(TEXT, KEY), b"") is Origin.UNKNOWN, "without a key"
    assert origin_of(authenticate(TEXT, KEY) + b" ", KEY) is Origin.ALTERED
    assert origin_of(b"", KEY) is Origin.UNKNOWN


def test_a_manifest_that_was_signed_earlier_stays_one_of_ours() -> None:
    """As stored on stores: another method or key name would invalidate all of them."""
    signed = TEXT.removesuffix(b"\n}\n") + (
        b',\n "authentication": {"method": "HMAC-SHA256", "key": "efac8200b9fc98a1", '
        b'"tag": "43d89c903d3cf4ac338de2c7a452de712d14ec586bad035ea770f10b110aca89"}\n}\n'
    )
    assert authenticate(TEXT, KEY) == signed and origin_of(signed, KEY) is Origin.OURS


def test_a_service_without_a_key_takes_nothing_for_its_own() -> None:
    """Anybody can make a tag with the empty key."""
    head = TEXT.removesuffix(b"\n}\n")
    tag = hmac.new(b"", head, hashlib.sha256).hexdigest()
    forged = json.dumps({"method": "HMAC-SHA256", "key": key_name(b""), "tag": tag}).encode()
    signed = head + b',\n "authentication": ' + forged + b"\n}\n"
    assert origin_of(signed, b"") is Origin.UNKNOWN
