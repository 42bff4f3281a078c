"""Mail settings of one domain, out of the host's files and back in.

Understands Postfix maps (``virtual(5)``, ``transport(5)``, mailboxes) and Dovecot passwd-files
(``passwd-file``: ``user:password:uid:gid:(gecos):home:(shell):extra``).
"""

from __future__ import annotations

import json
import re
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
    #: Folders of mailboxes by address, and next hops by domain, as the maps have them.
    deliver_to: dict[str, str] = field(default_factory=dict)
    transports: dict[str, str] = field(default_factory=dict)
    #: Names of the files with the domain's DKIM keys.
    dkim: list[str] = field(default_factory=list)

    def to_json(self) -> bytes:
        """Return the settings as JSON."""
        return (json.dumps(asdict(self), indent=1, ensure_ascii=False) + "\n").encode()


def _domain_of(address: str) -> str:
    """Return the domain of a map's key: an address, ``@domain``, ``domain``, or ``.domain`` for
    those below.
    """
    return address.rpartition("@")[2].lstrip(".").lower()


def _lines(text: str) -> list[str]:
    """Return the lines with their ends; only a newline ends one, as for Postfix and Dovecot."""
    return re.findall(r"[^\n]*\n|[^\n]+", text)


def _entries(text: str) -> Iterator[tuple[str, str]]:
    """Yield a map's logical lines, each with its key; comments and blank lines come with an empty
    one.
    """
    key, lines = "", list[str]()
    between: list[str] = []
    for line in _lines(text):
        if not line.strip() or line.lstrip().startswith("#"):
            between.append(line)
        elif line[0].isspace() and key:
            # What stands between a line and its continuation counts for nothing.
            lines.append(line)
        else:
            if key:
                yield key, "".join(lines)
            for other in between:
                yield "", other
            between = []
            key, lines = line.split(None, 1)[0], [line]
    if key:
        yield key, "".join(lines)
    for other in between:
        yield "", other


def _ended(line: str) -> str:
    return line if line.endswith("\n") else line + "\n"


def map_lines(text: str, domain: str) -> list[str]:
    """Return a Postfix map's own lines for a domain, as they stand, the domain's own key
    included.
    """
    return [
        _ended(entry) for key, entry in _entries(text) if key and _domain_of(key) == domain.lower()
    ]


def domains_of_map(text: str) -> set[str]:
    """Return all domains that a Postfix map names in its keys."""
    return {domain for key, _ in _entries(text) if key and "." in (domain := _domain_of(key))}


def domains_of_passwd(text: str) -> set[str]:
    """Return all domains that have mailboxes in a passwd-file."""
    return {domain for line in _lines(text) if (domain := _passwd_domain(line))}


def _passwd_domain(line: str) -> str:
    name = line.rstrip("\n").split(":", 1)[0]
    return "" if line.startswith("#") or "@" not in name else _domain_of(name)


def passwd_lines(text: str, domain: str) -> list[str]:
    """Return the passwd-file's own lines for a domain's mailboxes."""
    return [_ended(line) for line in _lines(text) if _passwd_domain(line) == domain.lower()]


#: Extra fields of a passwd-file row that only set quotas.
_HARMLESS = ("userdb_quota_rule=", "userdb_quota_storage_size=")


def passwd_user(row: str) -> str:
    """Return the part before the ``@`` of a passwd-file row's mailbox."""
    return row.partition(":")[0].rpartition("@")[0]


def is_ordinary(row: str, others: str, home: str) -> bool:
    """Return whether a passwd-file row gives its mailbox no more than other mailboxes have.

    That is: a user and group that a row of ``others`` (the text of the file) also has, no home or
    ``home``, and no extra fields except its quota.
    """
    fields = _passwd_fields(row)
    known = {tuple(_passwd_fields(line)[2:4]) for line in _lines(others) if _passwd_domain(line)}
    return (
        tuple(fields[2:4]) in known
        and fields[5] in ("", home)
        and all(extra.startswith(_HARMLESS) for extra in fields[7].split())
    )


def _passwd_fields(row: str) -> list[str]:
    fields = row.rstrip("\n").split(":", 7)
    return fields + [""] * (8 - len(fields))


def climbs(line: str) -> bool:
    """Return whether the value of a map's line leads out of a folder (``..``)."""
    return any(".." in word.split("/") for word in line.split()[1:])


def merged_map(text: str, domain: str, lines: Sequence[str]) -> str:
    """Return the map with a domain's lines replaced; all others are unchanged."""
    return _merged(
        [(_domain_of(key) if key else "", entry) for key, entry in _entries(text)], domain, lines
    )


def merged_passwd(text: str, domain: str, lines: Sequence[str]) -> str:
    """Return the passwd-file with a domain's lines in place of those it has now."""
    return _merged([(_passwd_domain(line), line) for line in _lines(text)], domain, lines)


def one_mailbox_passwd(text: str, domain: str, user: str, rows: Sequence[str]) -> list[str]:
    """Return the lines of a domain in a passwd-file, with ``rows`` in place of a mailbox's own."""
    now = passwd_lines(text, domain)
    return _exchanged([(passwd_user(row).lower(), row) for row in now], user.lower(), rows)


def one_address_map(text: str, domain: str, address: str, rows: Sequence[str]) -> list[str]:
    """Return the lines of a domain in a map, with ``rows`` in place of an address's own."""
    now = map_lines(text, domain)
    return _exchanged([(map_key(row), row) for row in now], address.lower(), rows)


def map_key(line: str) -> str:
    """Return the key of a map's line, in lower case."""
    return line.split(None, 1)[0].lower() if line.split() else ""


def _exchanged(entries: Sequence[tuple[str, str]], key: str, rows: Sequence[str]) -> list[str]:
    made, placed = list[str](), False
    for own, entry in entries:
        if own != key:
            made.append(entry)
        elif not placed:
            made += rows
            placed = True
    return made if placed else [*made, *rows]


def _merged(entries: Sequence[tuple[str, str]], domain: str, lines: Sequence[str]) -> str:
    domain, made, placed = domain.lower(), list[str](), False
    for owner, entry in entries:
        if owner != domain:
            made.append(_ended(entry))
        elif not placed:
            made += map(_ended, lines)
            placed = True
    if not placed:
        made += map(_ended, lines)
    return "".join(made)


def _pairs(lines: Sequence[str]) -> dict[str, str]:
    return {
        key: value for key, _, value in (" ".join(line.split()).partition(" ") for line in lines)
    }


def settings(
    domain: str,
    aliases: Sequence[str],
    passwd: Sequence[str],
    mailboxes: Sequence[str] = (),
    transports: Sequence[str] = (),
) -> MailSettings:
    """Return the readable form of the native lines."""
    result = MailSettings(domain, deliver_to=_pairs(mailboxes), transports=_pairs(transports))
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
