"""The authentication tag of ``bundle.json``: whether a manifest is the service's own.

The tag is the last field of the file: HMAC-SHA256 (RFC 2104) over all bytes before it. The digest
of the listing is among them, and all contents hang on the listing.
"""

from __future__ import annotations

import hashlib
import hmac
import json
from enum import Enum

_MARK = b',\n "authentication": '
_END = b"\n}\n"
_METHOD = "HMAC-SHA256"
_KEY_NAME = 16


class Origin(Enum):
    """The origin of a manifest, as far as its tag shows."""

    OURS = "made by this service"
    ALTERED = "made by this service, and altered since"
    UNKNOWN = "made by another service, or before manifests had a tag"


def authenticate(text: bytes, key: bytes) -> bytes:
    """Return a JSON object, as ``json.dumps(…, indent=1)`` and a line's end give it, with its tag.

    Without a key it is unchanged.
    """
    if not key:
        return text
    head = text.removesuffix(_END)
    return head + _MARK + _tag(head, key) + _END


def origin_of(data: bytes, key: bytes) -> Origin:
    """Return whose the manifest in ``data`` is."""
    head, mark, tail = data.rpartition(_MARK)
    if not key or not mark or key_name(key).encode() not in tail:
        return Origin.UNKNOWN
    is_intact = hmac.compare_digest(tail, _tag(head, key) + _END)
    return Origin.OURS if is_intact else Origin.ALTERED


def key_name(key: bytes) -> str:
    """Return what tells a key from others, and nothing of the key itself."""
    return hashlib.sha256(b"fasciculus key name\0" + key).hexdigest()[:_KEY_NAME]


def _tag(head: bytes, key: bytes) -> bytes:
    tag = hmac.new(key, head, hashlib.sha256).hexdigest()
    return json.dumps({"method": _METHOD, "key": key_name(key), "tag": tag}).encode()
