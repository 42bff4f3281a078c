"""Values of databases and files: plain text, and values that PHP has serialised.

``s:5:"jugs";`` says how many bytes its string has, so that each length is corrected. The format
is that of PHP's ``serialize`` function.
"""

from __future__ import annotations

import re

from .texts import Texts

_DEPTH = 60
_START = re.compile(rb'(?:a:\d+:\{|O:\d+:"|C:\d+:"|s:\d+:")')
_SCALAR = re.compile(rb"(?:N|[bidrR]:[^;:{}\"]{1,40}|E:\d+:\"[^\"]{1,200}\");")
_LENGTH = re.compile(rb"(\d{1,10}):")
#: Strings of serialised values inside of other quotes, whose lengths cannot be corrected.
_QUOTED = re.compile(rb's:\d+:\\+"')


class ValueWriter:
    """Rewrites values, and counts: ``count`` texts were exchanged; ``skipped`` values have some,
    but are unchanged, since their lengths could not be corrected.
    """

    def __init__(self, texts: Texts) -> None:
        self._texts = texts
        self.count = 0
        self.skipped = 0

    def value(self, data: bytes) -> bytes:
        """Return a value with its texts exchanged."""
        if not self._texts.found(data):
            return data
        try:
            new, count = _rewritten(data, self._texts, 0)
        except ValueError:
            self.skipped += 1
            return data
        self.count += count
        return new


def _rewritten(data: bytes, texts: Texts, depth: int) -> tuple[bytes, int]:
    """Return a value rewritten, and the number of texts. Raises ``ValueError`` if it cannot be."""
    if depth > _DEPTH:
        raise ValueError("it is nested too deeply")
    parts: list[bytes] = []
    count = at = 0
    for match in _START.finditer(data):
        if match.start() < at:
            continue
        try:
            reader = _Reader(data, match.start(), texts, depth)
            reader.value()
        except ValueError:
            if match.start() == 0:
                # It looks as if it was serialised, and is damaged or in another character set.
                raise
            continue
        plain, found = _plain(data[at : match.start()], texts)
        parts += [plain, b"".join(reader.parts)]
        count += found + reader.count
        at = reader.at
    plain, found = _plain(data[at:], texts)
    return b"".join([*parts, plain]), count + found


def _plain(data: bytes, texts: Texts) -> tuple[bytes, int]:
    if _QUOTED.search(data) and texts.found(data):
        raise ValueError("it has serialised values inside of quotes")
    return texts.replaced(data)


class _Reader:
    """Reads one serialised value from a place, and writes it into ``parts``."""

    def __init__(self, data: bytes, at: int, texts: Texts, depth: int) -> None:
        self._data, self.at, self._texts, self._depth = data, at, texts, depth
        self.parts: list[bytes] = []
        self.count = 0

    def value(self, depth: int = 0) -> None:
        """Read one value. Raises ``ValueError`` for what is none."""
        if depth > _DEPTH:
            raise ValueError("it is nested too deeply")
        kind = self._data[self.at : self.at + 2]
        if kind == b"s:":
            self._string(b";")
        elif kind == b"a:":
            self._take(2)
            self._items(2 * self._number(), depth)
        elif kind == b"O:":
            self._take(2)
            self._name()
            self._items(2 * self._number(), depth)
        elif kind == b"C:":
            self._take(2)
            self._name()
            self._block(b"{", b"}")
        else:
            match = _SCALAR.match(self._data, self.at)
            if match is None:
                raise ValueError("no value")
            self._take(len(match[0]))

    def _items(self, count: int, depth: int) -> None:
        if count > len(self._data):
            raise ValueError("too many")
        self._expect(b"{")
        for _ in range(count):
            self.value(depth + 1)
        self._expect(b"}")

    def _string(self, end: bytes) -> None:
        self._take(2)
        self._block(b'"', b'"' + end)

    def _name(self) -> None:
        """Copy the name of a class with its length."""
        length = self._number()
        self._expect(b'"')
        self._take(length)
        self._expect(b'":')

    def _block(self, opening: bytes, closing: bytes) -> None:
        """Rewrite a text that is preceded by its length."""
        length = self._number(copy=False)
        start = self.at + len(opening)
        inner = self._data[start : start + length]
        after = self._data[start + length : start + length + len(closing)]
        if self._data[self.at : start] != opening or len(inner) < length or after != closing:
            raise ValueError("a wrong length")
        new, count = _rewritten(inner, self._texts, self._depth + 1)
        self.count += count
        self.parts += [str(len(new)).encode(), b":", opening, new, closing]
        self.at = start + length + len(closing)

    def _number(self, copy: bool = True) -> int:
        match = _LENGTH.match(self._data, self.at)
        if match is None:
            raise ValueError("no length")
        if copy:
            self.parts.append(match[0])
        self.at = match.end()
        return int(match[1])

    def _expect(self, text: bytes) -> None:
        if not self._data.startswith(text, self.at):
            raise ValueError("something is missing")
        self._take(len(text))

    def _take(self, count: int) -> None:
        part = self._data[self.at : self.at + count]
        if len(part) < count:
            raise ValueError("it ends too early")
        self.parts.append(part)
        self.at += count
