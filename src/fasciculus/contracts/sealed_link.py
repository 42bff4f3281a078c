"""Messages that only the two ends of a link can read and write: AES-256-GCM (NIST SP 800-38D)."""

from __future__ import annotations

import os
from typing import Literal

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives import hashes
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from cryptography.hazmat.primitives.kdf.hkdf import HKDF

_NONCE = 12
#: What a message is: none can be taken for one of another way.
Way = Literal["order", "request", "answer"]


def new_key() -> bytes:
    """Return a new key of 32 bytes."""
    return AESGCM.generate_key(256)


def key_of_code(secret: str) -> bytes:
    """Return the key of the messages of an enrolment, by the secret of its code (HKDF)."""
    return HKDF(hashes.SHA256(), 32, salt=None, info=b"enrolment of a worker").derive(
        secret.encode()
    )


def seal(key: bytes, way: Way, message: bytes) -> bytes:
    """Return a message sealed with the key of a link."""
    nonce = os.urandom(_NONCE)
    return nonce + AESGCM(key).encrypt(nonce, message, way.encode())


def opened(key: bytes, way: Way, sealed: bytes) -> bytes:
    """Return what was sealed. Raises ``ValueError`` for anything else."""
    try:
        return AESGCM(key).decrypt(sealed[:_NONCE], sealed[_NONCE:], way.encode())
    except (InvalidTag, ValueError) as error:
        raise ValueError("the message is not sealed with the key of this link") from error
