"""Restores a domain's mail settings into the host's files, which other domains share."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Iterator
from typing import NamedTuple

from ...contracts.orders import MailOrder
from ...core import mail_config
from ...core.bundle.entry import DIR, FILE, SYMLINK, Entry
from ...core.bundle.reader import BundleReader
from ...core.errors import DamagedError, FasciculusError, MissingError
from ...hosts.base import HostConnection
from ..emitter import Emitter
from .losses import Losses
from .mail_lines import KeptMail, replaced_lines
from .writer import EntryWriter, check_path

_SECONDS = 120.0


class _Place(NamedTuple):
    """The target of an entry: the folder of the host that it must not leave, and the path in it."""

    folder: str
    path: bytes


class MailSettingsRestore:
    """Merges the domains of a :class:`MailOrder` into the host's maps, brings mailboxes, scripts
    and keys back, and runs the host's refresh commands.

    ``writer_of`` opens a writer for a folder of the host. ``vouched`` says whether the records
    vouch for the copy: if they do not, it may not choose users and homes. ``kept`` gets the lines
    that are replaced.
    """

    def __init__(
        self,
        mail: MailOrder,
        host: HostConnection,
        emitter: Emitter,
        losses: Losses,
        writer_of: Callable[[str], EntryWriter],
        vouched: bool,
        kept: KeptMail | None,
    ) -> None:
        self._mail, self._host, self._emitter, self._losses = mail, host, emitter, losses
        self._writer_of, self._vouched, self._kept = writer_of, vouched, kept
        self._writer: EntryWriter | None = None
        self._folder = ""
        self._files = {
            "aliases": mail.alias_map,
            "mailboxes": mail.mailbox_map,
            "transport": mail.transport_map,
            "passwd": mail.passwd_file,
        }

    def run(self, entries: Callable[[], Iterator[Entry]], reader: BundleReader) -> int:
        """Return the number of entries that came back; ``entries`` gives those of the mail."""
        count, found = 0, set[str]()
        # Maps first: nothing that the bundle brings is there yet when their paths are looked up.
        for domain, below, entry in self._of(entries()):
            found.add(domain)
            count += self._map(domain, below, entry, reader)
        try:
            for domain, below, entry in self._of(entries()):
                if below not in self._files and below != "mail.json":
                    count += self._put(domain, below, entry, reader)
        finally:
            self._leave()
        for domain in sorted(set(self._mail.domains) - found):
            self._losses.not_written(domain, "the bundle holds no mail settings of this domain")
        if count:
            for command in self._mail.refresh:
                self._refresh(command)
        return count

    def _of(self, entries: Iterator[Entry]) -> Iterator[tuple[str, str, Entry]]:
        """Yield the entries of the domains that are wanted, each with its domain and path
        below it.
        """
        for entry in entries:
            domain, _, below = entry.path.decode("utf-8", "surrogateescape").partition("/")
            if domain in self._mail.domains and below and self._is_wanted(domain, below):
                yield domain, below, entry

    def _is_wanted(self, domain: str, below: str) -> bool:
        """Return whether an entry belongs to what was asked for: all of a domain, or mailboxes."""
        if not self._mail.mailboxes or below in self._files:
            return True
        kind, _, rest = below.partition("/")
        user = rest.partition("/")[0]
        return kind == "home" and f"{user}@{domain}".lower() in self._mail.mailboxes

    # Maps ------------------------------------------------------------------------

    def _map(self, domain: str, what: str, entry: Entry, reader: BundleReader) -> int:
        if what not in self._files:
            return 0
        try:
            data = b"".join(reader.contents(entry))
            return self._merge(domain, what, data.decode("utf-8", "surrogateescape"))
        except (DamagedError, MissingError) as error:
            self._losses.damaged(entry.text, error.message)
        except OSError as error:
            self._losses.not_written(entry.text, error.strerror or str(error))
        return 0

    def _merge(self, domain: str, what: str, lines: str) -> int:
        path = self._files[what]
        if not path:
            if lines.strip():
                self._losses.not_written(
                    f"{domain}/{what}", "the settings of the host name no file for them"
                )
            return 0
        before = self._host.read_text(path)
        if what == "passwd":
            rows = self._rows(domain, mail_config.passwd_lines(lines, domain), before)
            after = mail_config.merged_passwd(
                before, domain, self._of_mailboxes(rows, before, domain)
            )
        else:
            rows = self._lines(domain, what, mail_config.map_lines(lines, domain))
            after = mail_config.merged_map(before, domain, self._of_addresses(rows, before, domain))
        if after != before:
            if self._kept is not None:
                row = replaced_lines(path, what, domain, before, after)
                self._kept.add(row, self._mail.refresh)
            self._host.write(path, after.encode("utf-8", "surrogateescape"))
            self._emitter.info(f"{domain}: its {what} are back in {path}")
        return 1

    def _of_mailboxes(self, rows: list[str], before: str, domain: str) -> list[str]:
        """Return the rows that a domain gets: all of the bundle's, or those it has now with the
        chosen mailboxes' in their place.
        """
        for address in self._mail.mailboxes:
            user, _, own = address.rpartition("@")
            if own == domain.lower():
                its = [row for row in rows if mail_config.passwd_user(row).lower() == user]
                before = mail_config.merged_passwd(
                    before, domain, mail_config.one_mailbox_passwd(before, domain, user, its)
                )
        return mail_config.passwd_lines(before, domain) if self._mail.mailboxes else rows

    def _of_addresses(self, rows: list[str], before: str, domain: str) -> list[str]:
        """Return the same for the lines of a map."""
        for address in self._mail.mailboxes:
            if address.rpartition("@")[2] == domain.lower():
                its = [row for row in rows if mail_config.map_key(row) == address]
                before = mail_config.merged_map(
                    before, domain, mail_config.one_address_map(before, domain, address, its)
                )
        return mail_config.map_lines(before, domain) if self._mail.mailboxes else rows

    def _rows(self, domain: str, rows: list[str], before: str) -> list[str]:
        """Return the rows of a passwd-file that the copy may restore.

        Anyone able to choose a mailbox's user and home could read and write as that user.
        """
        if self._vouched:
            return rows
        allowed = []
        for row in rows:
            user = mail_config.passwd_user(row)
            home = self._mail.home.format(domain=domain, user=user) if self._mail.home else ""
            if mail_config.is_ordinary(row, before, home):
                allowed.append(row)
            else:
                self._refuse(f"{domain}/passwd", f"{user} would get its own user, home or right")
        return allowed

    def _lines(self, domain: str, what: str, lines: list[str]) -> list[str]:
        """Return the lines of a map that the copy may restore: none that leads elsewhere."""
        if self._vouched:
            return lines
        for line in filter(mail_config.climbs, lines):
            self._refuse(f"{domain}/{what}", f"{line.strip()!r} leads out of its folder")
        return [line for line in lines if not mail_config.climbs(line)]

    def _refuse(self, what: str, why: str) -> None:
        self._losses.not_written(
            what,
            f"{why}, and the records do not vouch for this copy. Allow it (--special-modes) if you "
            "trust its store.",
        )

    # Mailboxes, scripts, keys -------------------------------------------------------

    def _place(self, domain: str, below: str, entry: Entry) -> _Place | None:
        """Return where an entry goes; None if the host's settings name no place for it."""
        kind, _, rest = below.partition("/")
        if not rest:
            return None
        check_path(rest.encode("utf-8", "surrogateescape"), entry)
        if kind == "home" and self._mail.home:
            user, _, inner = rest.partition("/")
            folder = self._mail.home.format(domain=domain, user=user)
            return _Place(folder, inner.encode("utf-8", "surrogateescape"))
        if kind == "dkim" and self._mail.dkim:
            place = self._mail.dkim.format(domain=domain)
            if posixpath.basename(place) == rest:
                return _Place(posixpath.dirname(place), rest.encode("utf-8", "surrogateescape"))
            return _Place(place, rest.encode("utf-8", "surrogateescape"))
        return None

    def _put(self, domain: str, below: str, entry: Entry, reader: BundleReader) -> int:
        try:
            place = self._place(domain, below, entry)
            if place is None:
                return self._without_place(below, entry)
            if entry.type not in (FILE, DIR, SYMLINK) or (not place.path and entry.type != DIR):
                raise DamagedError(f"{entry.text}: no such thing belongs into a mailbox.")
            return self._writer_in(place.folder).put(place.path, entry, reader)
        except DamagedError as error:
            self._losses.damaged(entry.text, error.message)
        except OSError as error:
            self._losses.not_written(entry.text, error.strerror or str(error))
        return 0

    def _without_place(self, below: str, entry: Entry) -> int:
        if entry.type != DIR:
            kind = below.partition("/")[0]
            self._losses.not_written(
                entry.text, f"the settings of the host name no place for {kind}"
            )
        return 0

    def _writer_in(self, folder: str) -> EntryWriter:
        if self._writer is None or folder != self._folder:
            self._leave()
            self._writer, self._folder = self._writer_of(folder), folder
        return self._writer

    def _leave(self) -> None:
        """Finish the folder that was written last."""
        writer, self._writer = self._writer, None
        if writer is not None:
            try:
                writer.finish()
            finally:
                writer.close()

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
