"""SQL members back into a database, statement by statement."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator

_TOKEN = re.compile(
    rb"'(?:[^'\\]++|\\.|'')*+'|\"(?:[^\"\\]++|\\.|\"\")*+\"|`[^`]*+`"
    rb"|--[ \t][^\n]*|/\*.*?\*/|;",
    re.DOTALL,
)
_DELIMITER = re.compile(rb"\s*DELIMITER (\S+)\n")


def statements(member: bytes) -> Iterator[bytes]:
    """Yield the statements of one member, as a server takes them one by one."""
    at = 0
    while at < len(member):
        switch = _DELIMITER.match(member, at)
        if switch and switch[1] != b";":
            end = member.index(b"\n" + switch[1] + b"\n", switch.end())
            yield member[switch.end() : end]
            at = end + len(switch[1]) + 2
            continue
        if switch:
            at = switch.end()
            continue
        for token in _TOKEN.finditer(member, at):
            if token[0] == b";":
                yield member[at : token.start()].strip()
                at = token.end()
                break
        else:
            if rest := member[at:].strip():
                yield rest
            return


def load(members: Iterator[bytes], execute: Callable[[bytes], None]) -> int:
    """Run the members' statements in order; returns how many there were."""
    count = 0
    for member in members:
        for statement in statements(member):
            execute(statement)
            count += 1
    return count
