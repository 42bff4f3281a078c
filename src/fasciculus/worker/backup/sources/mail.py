"""Mail settings of a subject's domains, out of the host's files."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator

from ....contracts.orders import MailOrder
from ....core import mail_config
from ....core.bundle.entry import FILE, Entry
from ....core.bundle.tree.tree_walk import WalkRules
from ....core.bundle.writer import BundleWriter
from ....hosts.base import HostConnection
from .files import FileSource, made_up


class MailSource:
    """Packs the mail settings of each domain, in the order of their names."""

    def __init__(
        self,
        mail: MailOrder,
        host: HostConnection,
        writer: BundleWriter,
        file_source: FileSource,
        warn: Callable[[str], None],
        seen: Callable[[int, int], None],
    ) -> None:
        self._mail, self._host, self._writer, self._file_source = mail, host, writer, file_source
        self._warn, self._seen = warn, seen

    def run(self) -> None:
        """Pack the mail settings."""
        mail = self._mail
        texts = {
            path: self._host.read_text(path) if path else ""
            for path in (mail.alias_map, mail.mailbox_map, mail.transport_map, mail.passwd_file)
        }
        for domain in sorted(mail.domains):
            self._domain(domain, texts)

    def _domain(self, domain: str, texts: dict[str, str]) -> None:
        mail = self._mail
        aliases = mail_config.map_lines(texts[mail.alias_map], domain)
        boxes = mail_config.map_lines(texts[mail.mailbox_map], domain)
        transports = mail_config.map_lines(texts[mail.transport_map], domain)
        passwd = mail_config.passwd_lines(texts[mail.passwd_file], domain)
        settings = mail_config.settings(domain, aliases, passwd, boxes, transports)
        if not (aliases or boxes or transports or passwd):
            self._warn(f"{domain}: the host's mail files hold no line of this domain")
        self._text(mail.alias_map, f"{domain}/aliases", aliases)
        if mail.dkim:
            settings.dkim = self._dkim(mail.dkim.format(domain=domain), f"{domain}/dkim")
        for mailbox in sorted(settings.mailboxes, key=lambda box: box.address):
            user = mailbox.address.rpartition("@")[0]
            if mail.home and "/" not in user and user not in ("", ".", ".."):
                home = mail.home.format(domain=domain, user=user)
                self._mailbox(mailbox, os.fsencode(home), f"{domain}/home/{user}")
        entry = made_up("mail", f"{domain}/mail.json".encode(), time.time_ns())
        self._writer.add(entry, settings.to_json())
        self._seen(1, entry.size)
        self._text(mail.mailbox_map, f"{domain}/mailboxes", boxes)
        self._text(mail.passwd_file, f"{domain}/passwd", passwd)
        self._text(mail.transport_map, f"{domain}/transport", transports)

    def _text(self, source: str, path: str, lines: list[str]) -> None:
        """Yield the domain's own lines, with the mode and owner of their file."""
        if not source:
            return
        entry = self._host.describe(os.fsencode(source), "mail", path.encode(), self._warn)
        if entry is None or entry.type != FILE:
            entry = made_up("mail", path.encode(), time.time_ns())
        self._writer.add(entry, "".join(lines).encode("utf-8", "surrogateescape"))
        self._seen(1, entry.size)

    def _tree(self, folder: bytes, below: str, excluded: frozenset[bytes]) -> Iterator[Entry]:
        """Pack a folder of the host under a path, giving each entry once it is packed."""
        base = below.encode()
        for found in self._host.tree(os.fsdecode(folder), WalkRules(excluded), self._warn):
            entry, name = found.entry, found.entry.path
            entry.kind, entry.path = "mail", base + b"/" + name if name else base
            if entry.link is not None:
                entry.link = base + b"/" + entry.link
            self._file_source.file(entry, found.open)
            yield entry

    def _dkim(self, place: str, below: str) -> list[str]:
        kind = self._host.type_of(place)
        if kind == "dir":
            return [
                entry.text.removeprefix(below + "/")
                for entry in self._tree(os.fsencode(place), below, frozenset())
                if entry.type == FILE
            ]
        path = os.fsencode(place)
        name = os.path.basename(place)
        entry = self._host.describe(path, "mail", f"{below}/{name}".encode(), self._warn)
        if entry is None:
            self._warn(f"{place}: there are no DKIM keys")
            return []
        self._file_source.file(entry, lambda: self._host.open(path))
        return [name]

    def _mailbox(self, mailbox: mail_config.Mailbox, home: bytes, below: str) -> None:
        wanted = (b".dovecot.sieve", b"sieve", *((b"Maildir",) if self._mail.messages else ()))
        if self._host.type_of(os.fsdecode(home)) != "dir":
            return
        skipped = frozenset(name for name in self._host.names(home) if name not in wanted)
        for entry in self._tree(home, below, skipped):
            name = entry.path.removeprefix(below.encode() + b"/")
            if entry.type == FILE and name.startswith(b"sieve/"):
                mailbox.sieve.append(name[6:].decode("utf-8", "backslashreplace"))
            elif name == b".dovecot.sieve" and entry.target is not None:
                mailbox.active_sieve = entry.target.rpartition(b"/")[2].decode(
                    "utf-8", "backslashreplace"
                )
