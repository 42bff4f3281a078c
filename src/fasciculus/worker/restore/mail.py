"""A domain's mail settings back into the host's files, beside everybody else's."""

from __future__ import annotations

from collections.abc import Iterator

from ...core import mail_config
from ...core.bundle.entry import FILE, SYMLINK, Entry
from ...core.bundle.reader import BundleReader
from ...core.errors import DamagedError, FasciculusError, SettingError
from ...hosts.base import HostConnection
from ..events import Emitter
from ..orders import MailOrder

_SECONDS = 120.0


class MailSettingsRestore:
    """Merges the domains of a :class:`MailOrder` into the host's maps, and runs its refresh
    commands.
    """

    def __init__(self, mail: MailOrder, host: HostConnection, emitter: Emitter) -> None:
        self._mail, self._host, self._emitter = mail, host, emitter
        self._files = {
            "aliases": mail.alias_map,
            "mailboxes": mail.mailbox_map,
            "transport": mail.transport_map,
            "passwd": mail.passwd_file,
        }

    def run(self, entries: Iterator[Entry], reader: BundleReader) -> int:
        """Give the number of entries that came back."""
        count, found = 0, set[str]()
        for entry in entries:
            domain, _, below = entry.path.decode("utf-8", "surrogateescape").partition("/")
            if domain not in self._mail.domains or not below:
                continue
            found.add(domain)
            if below in self._files:
                self._merge(domain, below, b"".join(reader.contents(entry)))
                count += 1
            elif place := self._place(domain, below):
                count += self._put(entry, place, reader)
        if missing := sorted(set(self._mail.domains) - found):
            raise SettingError(
                f"The bundle holds no mail settings of {', '.join(missing)}.",
                "Look at its listing for the domains that it holds.",
                field="mail_domains",
            )
        for command in self._mail.refresh:
            self._refresh(command)
        return count

    def _merge(self, domain: str, what: str, data: bytes) -> None:
        path = self._files[what]
        lines = data.decode("utf-8", "surrogateescape")
        if not path:
            if lines.strip():
                self._emitter.warn(
                    f"{domain}: the host has no file for its {what}; they did not come back"
                )
            return
        before = self._host.read_text(path)
        if what == "passwd":
            after = mail_config.merged_passwd(
                before, domain, mail_config.passwd_lines(lines, domain)
            )
        else:
            after = mail_config.merged_map(before, domain, mail_config.map_lines(lines, domain))
        if after != before:
            self._host.write(path, after.encode("utf-8", "surrogateescape"))
            self._emitter.info(f"{domain}: its {what} are back in {path}")

    def _place(self, domain: str, below: str) -> str:
        """Where a Sieve script, a message or a DKIM key is on the host; empty where it knows no
        place.
        """
        kind, _, rest = below.partition("/")
        if any(part in ("", ".", "..") for part in rest.split("/")):
            if rest:
                raise DamagedError(f"The listing holds the path {below}, which leads outside.")
            return ""
        if kind == "home" and self._mail.home:
            user, _, inner = rest.partition("/")
            return f"{self._mail.home.format(domain=domain, user=user)}/{inner}" if inner else ""
        if kind == "dkim" and self._mail.dkim:
            place = self._mail.dkim.format(domain=domain)
            return place if place.endswith("/" + rest) else f"{place}/{rest}"
        return ""

    def _put(self, entry: Entry, place: str, reader: BundleReader) -> int:
        if entry.type == SYMLINK:
            self._host.link(place, entry.target or b"")
        elif entry.type == FILE:
            self._host.write(place, b"".join(reader.contents(entry)), entry)
        else:
            return 0
        return 1

    def _refresh(self, command: str) -> None:
        try:
            ran = self._host.run(command, _SECONDS)
        except (FasciculusError, OSError) as error:
            self._emitter.warn(f"{command} could not be run: {error}")
            return
        said = ran.output.decode("utf-8", "replace").strip()
        if ran.code != 0:
            self._emitter.warn(f"{command} ended with code {ran.code}: {said[:500]}")
        else:
            self._emitter.info(f"{command}: done{'; ' + said[:500] if said else ''}")
