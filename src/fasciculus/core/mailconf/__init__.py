"""Mail settings of one domain, out of the host's files.

Understands Postfix alias maps (``virtual(5)``) and Dovecot passwd-files
(``passwd-file``: ``user:password:uid:gid:(gecos):home:(shell):extra``).
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from dataclasses import asdict, dataclass, field


@dataclass(slots=True)
class Alias:
    """An address (or ``@domain`` for all others) and where its mail goes."""

    address: str
    targets: list[str]


@dataclass(slots=True)
class Mailbox:
    """A mailbox of the passwd-file; the hash itself stays in the native line."""

    address: str
    scheme: str
    quota: str = ""
    sieve: list[str] = field(default_factory=list)
    active_sieve: str = ""


@dataclass(slots=True)
class MailSettings:
    """All that is known of one domain's mail."""

    domain: str
    aliases: list[Alias] = field(default_factory=list)
    mailboxes: list[Mailbox] = field(default_factory=list)

    def to_json(self) -> bytes:
        return (json.dumps(asdict(self), indent=1, ensure_ascii=False) + "\n").encode()


def _logical_lines(text: str) -> Iterator[str]:
    """The map's entries with their continuation lines; comments and blanks dropped."""
    entry: list[str] = []
    for line in text.splitlines(keepends=True):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        if line[0].isspace():
            if entry:
                entry.append(line)
            continue
        if entry:
            yield "".join(entry)
        entry = [line]
    if entry:
        yield "".join(entry)


def _domain_of(address: str) -> str:
    return address.rpartition("@")[2].lower()


def alias_lines(text: str, domain: str) -> list[str]:
    """The alias map's own lines for a domain, as they stand, the domain's own key included."""
    return [
        entry if entry.endswith("\n") else entry + "\n" for entry in _logical_lines(text)
        if _domain_of(entry.split(None, 1)[0]) == domain.lower()
    ]


def passwd_lines(text: str, domain: str) -> list[str]:
    """The passwd-file's own lines for a domain's mailboxes."""
    return [
        line + "\n" for line in text.splitlines()
        if line and not line.startswith("#") and "@" in line.split(":", 1)[0]
        and _domain_of(line.split(":", 1)[0]) == domain.lower()
    ]


def settings(domain: str, aliases: Sequence[str], passwd: Sequence[str]) -> MailSettings:
    """The readable form of the native lines."""
    result = MailSettings(domain)
    for entry in aliases:
        key, _, rest = " ".join(entry.split()).partition(" ")
        result.aliases.append(Alias(key, [t.strip() for t in rest.split(",") if t.strip()]))
    for line in passwd:
        fields = line.rstrip("\n").split(":", 7)
        scheme = ""
        if len(fields) > 1 and fields[1].startswith("{"):
            scheme = fields[1][1:].partition("}")[0]
        extra = fields[7].split() if len(fields) > 7 else []
        quota = next((e.partition("=")[2] for e in extra if e.startswith("userdb_quota_rule=")), "")
        result.mailboxes.append(Mailbox(fields[0], scheme, quota))
    return result
