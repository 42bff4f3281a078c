"""Texts that are exchanged for others, wherever they stand by themselves."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping

#: Separators as other encodings write them: JSON, and addresses in addresses (RFC 3986).
_SLASHES = (b"\\/", b"%2F", b"%2f")
_WORD = re.compile(rb"[\w]")


class Texts:
    """Exchanges texts, all at once, so that no result is exchanged again.

    A text counts only where it stands by itself: neither within a longer word or host name nor
    after ``@``. Texts with slashes are also found as JSON and addresses encode them.
    """

    def __init__(self, pairs: Mapping[str, str]) -> None:
        self._new = dict(_variants(pairs))
        texts = sorted(self._new, key=len, reverse=True)
        self._pattern = re.compile(b"|".join(map(_alone, texts))) if texts else None

    def __bool__(self) -> bool:
        return self._pattern is not None

    def found(self, data: bytes) -> bool:
        """Return whether a value has any of the texts."""
        return self._pattern is not None and self._pattern.search(data) is not None

    def replaced(self, data: bytes) -> tuple[bytes, int]:
        """Return a value with all texts exchanged, and how many there were."""
        if self._pattern is None:
            return data, 0
        return self._pattern.subn(lambda match: self._new[match[0]], data)


def _variants(pairs: Mapping[str, str]) -> Iterator[tuple[bytes, bytes]]:
    for old, new in pairs.items():
        yield old.encode(), new.encode()
        if "/" in old:
            for slash in _SLASHES:
                yield old.encode().replace(b"/", slash), new.encode().replace(b"/", slash)


def _alone(text: bytes) -> bytes:
    before = rb"(?<![\w@.-])" if _WORD.match(text[:1]) else rb"(?<![\w.-])"
    return before + re.escape(text) + rb"(?![\w-]|\.\w)"
