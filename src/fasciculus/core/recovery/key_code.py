"""The key of the records as groups of characters that a person can type from paper."""

from __future__ import annotations

import base64
import re
import zlib

from ..errors import SettingError

_GROUP = 4
_BYTES = 32
#: The characters of 32 bytes in base 32 (RFC 4648) without padding.
_LENGTH = 52
_CHECK_BITS = 20
#: Characters that people read as another one; base 32 has none of them.
_MISREAD = str.maketrans("018", "OIB")


def key_code(key: bytes) -> str:
    """Return a Fernet key as 14 groups of four characters, the last of them a check.

    The groups are base 32 (RFC 4648) of the 32 bytes; the check is the first 20 bits of their
    CRC-32.
    """
    text = base64.b32encode(base64.urlsafe_b64decode(key)).decode().rstrip("=")
    whole = text + _check(text)
    return "-".join(whole[at : at + _GROUP] for at in range(0, len(whole), _GROUP))


def check_group(key: bytes) -> str:
    """Return the last group of a key's code, which proves that the sheet is at hand."""
    return key_code(key)[-_GROUP:]


def key_of(code: str) -> bytes:
    """Return the Fernet key of a code; spaces, hyphens and small letters do not matter.

    Raises ``SettingError`` for a code that is too short, too long, or mistyped.
    """
    text = re.sub(r"[\s-]", "", code).upper().translate(_MISREAD)
    body, check = text[:_LENGTH], text[_LENGTH:]
    if len(text) != _LENGTH + _GROUP:
        raise SettingError(
            f"The code has {len(text)} characters, not {_LENGTH + _GROUP}.",
            "Type all 14 groups of the recovery sheet.",
            field="code",
        )
    try:
        key = base64.b32decode(body + "=" * (-len(body) % 8))
    except ValueError as error:
        raise SettingError(
            "The code has a character that no code has.",
            "Codes consist of letters and the digits 2 to 7. Type it again.",
            field="code",
        ) from error
    if check != _check(body) or len(key) != _BYTES:
        raise SettingError(
            "The code is mistyped: its last group does not match the others.",
            "Compare each group with the recovery sheet.",
            field="code",
        )
    return base64.urlsafe_b64encode(key)


def _check(text: str) -> str:
    number = zlib.crc32(text.encode()) >> (32 - _CHECK_BITS)
    return base64.b32encode((number << (40 - _CHECK_BITS)).to_bytes(5, "big")).decode()[:_GROUP]
