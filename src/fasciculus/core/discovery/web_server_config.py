"""Server names and document roots out of nginx and Apache configuration."""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterator
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class VirtualHost:
    """The names that a web server answers to from one document root.

    If none of its names is a domain, ``unread`` has them: wildcards, expressions, misspellings.
    """

    names: tuple[str, ...]
    root: str
    unread: tuple[str, ...] = ()


#: What stands for any name, or for this machine.
_NO_NAMES = frozenset(["_", "", "localhost", "default", "default_server"])
_HOST_NAME = re.compile(r"(?!-)[a-z0-9-]+(\.[a-z0-9-]+)+")
# Each character is looked at once (possessive), whatever is missing at the end of a quotation.
_TOKEN = re.compile(
    r'"((?:[^"\\]|\\.)*+)"?|\'((?:[^\'\\]|\\.)*+)\'?|#[^\n]*|([{};])|([^\s{};"\']+)'
)


def _domain(name: str) -> str:
    """Return the name as a site is called, or empty for wildcards, expressions and catch-alls."""
    name = name.lower().rstrip(".")
    return name if _HOST_NAME.fullmatch(name) else ""


def _made(names: list[str], root: str) -> Iterator[VirtualHost]:
    found = tuple(dict.fromkeys(domain for name in names if (domain := _domain(name))))
    unread = () if found else tuple(name for name in names if name.lower() not in _NO_NAMES)
    root = root.rstrip("/")
    if (found or unread) and root.startswith("/") and "$" not in root:
        yield VirtualHost(found, root, unread)


def nginx_hosts(text: str) -> Iterator[VirtualHost]:
    """Yield the ``server`` blocks of nginx configuration that have names and their own ``root``."""
    words: list[str] = []
    blocks: list[str] = []
    names: list[str] = []
    root = ""
    for match in _TOKEN.finditer(text):
        if match[0].startswith("#"):
            continue
        mark = match[3]
        if mark is None:
            words.append(next(part for part in (match[1], match[2], match[4]) if part is not None))
            continue
        if mark == "{":
            blocks.append(words[0] if words else "")
            if blocks[-1] == "server":
                names, root = [], ""
        elif mark == "}":
            if blocks and blocks.pop() == "server":
                yield from _made(names, root)
        elif words and blocks and blocks[-1] == "server":
            if words[0] == "server_name":
                names += words[1:]
            elif words[0] == "root" and len(words) > 1:
                root = words[1]
        words = []


def apache_hosts(text: str) -> Iterator[VirtualHost]:
    """Yield the ``<VirtualHost>`` sections of Apache configuration that have a name and a root."""
    names: list[str] = []
    root = ""
    inside = False
    for line in re.sub(r"\\\n", " ", text).splitlines():
        line = line.strip()
        lower = line.lower()
        if lower.startswith("<virtualhost"):
            inside, names, root = True, [], ""
        elif lower.startswith("</virtualhost"):
            inside = False
            yield from _made(names, root)
        elif inside and not line.startswith(("#", "<")):
            word, _, rest = line.partition(" ")
            match word.lower():
                case "servername" | "serveralias":
                    names += [re.sub(r"^\w+://|:\d+$", "", name) for name in _split(rest)]
                case "documentroot":
                    root = (_split(rest) or [""])[0]


def _split(text: str) -> list[str]:
    try:
        return shlex.split(text)
    except ValueError:
        return text.split()
