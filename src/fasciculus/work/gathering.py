"""The entries of a subject, kind by kind, from a host into the packer."""

from __future__ import annotations

import io
import os
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path

from ..core import mailconf
from ..core.bundling.entry import FILE, Entry
from ..core.bundling.manifest import DatabaseRecord, LeftOutCount
from ..core.bundling.packing import Packer
from ..core.bundling.scan import Chosen, group_name, user_name
from ..core.dumping.mariadb import Dump, safe_file
from ..core.errors import Trouble
from ..core.filtering import Chooser
from ..core.selecting import LeftOut
from ..reach.base import Contents, Reach
from .order import BundleOrder, DatabaseOrder, MailOrder

_WHOLE = 1024 * 1024
_SQLITE_SIDES = ("", "-wal", "-shm", "-journal")
_TRIES = 3


@dataclass(slots=True)
class Gathered:
    """What the manifest says beyond the packer's counts."""

    databases: list[DatabaseRecord] = field(default_factory=list)
    unreadable: dict[str, list[str]] = field(default_factory=dict)
    #: What the job's rules left out, by rule.
    left_out: dict[str, LeftOutCount] = field(default_factory=dict)


class Gatherer:
    """Takes one subject's contents from a host. ``seen`` is told entries and bytes read."""

    def __init__(self, order: BundleOrder, reach: Reach, packer: Packer,
                 warn: Callable[[str], None], seen: Callable[[int, int], None]) -> None:
        self._order, self._reach, self._packer = order, reach, packer
        self._warn, self._seen = warn, seen
        self._root = os.fsencode(order.subject.root)
        self._firsts: dict[bytes, Entry] = {}
        self.result = Gathered()

    # Files -------------------------------------------------------------------

    def files(self) -> None:
        rules = self._order.rules
        chooser = None if rules.everything else Chooser(rules, time.time_ns())
        chosen = Chosen(self.left_out(), chooser, self._note_left_out)
        for found in self._reach.tree(self._order.subject.root, chosen, self._unreadable):
            self._file(found.entry, found.open)

    def _note_left_out(self, path: bytes, size: int, rule: str) -> None:
        count = self.result.left_out.setdefault(rule, LeftOutCount())
        count.entries += 1
        count.bytes += size

    def left_out(self) -> frozenset[bytes]:
        """The service's own files, local stores, and the databases that go in as copies."""
        paths: list[str | bytes] = list(self._order.left_out)
        if "databases" in self._order.contents:
            paths += [
                self._root + b"/" + os.fsencode(database.path + side)
                for database in self._order.databases if database.engine == "sqlite"
                for side in _SQLITE_SIDES
            ]
        return LeftOut(paths).below(self._root)

    def _unreadable(self, text: str) -> None:
        self.result.unreadable.setdefault("files", []).append(text)
        self._warn(text)

    def _file(self, entry: Entry, open_: Callable[[], Contents]) -> None:
        """Pack one entry of the host."""
        first_path = entry.link
        first = self._firsts.get(first_path) if first_path is not None else None
        if first is not None and self._packer.links_to(first.path):
            entry.link = first.path
            self._packer.add_link(entry, first)
            self._seen(1, 0)
            return
        entry.link = None
        if entry.type != FILE:
            self._packer.add(entry)
            self._seen(1, 0)
            return
        try:
            self._contents(entry, open_)
        except FileNotFoundError:
            self._unreadable(f"{entry.text}: vanished before it was read")
            return
        except OSError as error:
            self._unreadable(f"{entry.text}: could not be read ({error.strerror})")
            return
        if entry.links > 1:
            self._firsts.setdefault(first_path or entry.path, entry)
        self._seen(1, entry.size)

    def _contents(self, entry: Entry, open_: Callable[[], Contents]) -> None:
        with closing(open_()) as source:
            if entry.size > _WHOLE:
                # Whether it can be read shows here, before anything of it is packed.
                entry.size = source.now().size
                self._packer.add_stream(entry, source, self._warn)
                after = source.now()
                if (after.mtime_ns, after.size) != (entry.mtime_ns, entry.size):
                    self._warn(f"{entry.text}: changed while it was read")
                return
            for _ in range(_TRIES):
                data = source.read()
                after = source.now()
                settled = after.mtime_ns == entry.mtime_ns and after.size == len(data)
                entry.mtime_ns, entry.ctime_ns = after.mtime_ns, after.ctime_ns
                if settled or not source.again():
                    break
            else:
                self._warn(f"{entry.text}: changed while it was read")
            if len(data) > _WHOLE:
                entry.size = len(data)
                self._packer.add_stream(entry, io.BytesIO(data), self._warn)
            else:
                self._packer.add(entry, data)

    # Databases ---------------------------------------------------------------

    def databases(self) -> None:
        ordered = sorted(self._order.databases, key=_member_folder)
        for database in ordered:
            if database.engine == "mariadb":
                self._mariadb(database)
            else:
                self._sqlite(database)

    def _mariadb(self, database: DatabaseOrder) -> None:
        assert self._order.mariadb is not None
        folder = _member_folder(database)
        with self._reach.mariadb(self._order.mariadb.spec()) as server:
            dump = Dump(server, database.name, self._order.database_rules.of(database.name))
            moment = time.time_ns()
            for member in dump:
                path = f"{folder}/{member.name}".encode()
                entry = _made_up("databases", path, moment)
                if len(member.data) > _WHOLE:
                    entry.size = len(member.data)
                    self._packer.add_stream(entry, io.BytesIO(member.data), self._warn)
                else:
                    self._packer.add(entry, member.data)
                self._seen(1, len(member.data))
        for note in dump.done.notes:
            self._warn(note)
        self.result.databases.append(DatabaseRecord(
            "mariadb", database.name, dump.done.server_version, dump.done.character_set,
            folder, tables=dump.done.tables,
        ))

    def _sqlite(self, database: DatabaseOrder) -> None:
        source = self._root + b"/" + os.fsencode(database.path)
        folder = _member_folder(database)
        copy = Path(self._order.spool) / "database.sqlite"
        try:
            tables = self._reach.copy_sqlite(source, copy)
            entry = self._reach.describe(source, "databases", os.fsencode(folder), self._warn)
            if entry is None:
                raise Trouble(f"The SQLite database {database.path} vanished while it was copied.")
            entry.origin = os.fsencode(database.path)
            entry.size = copy.stat().st_size
            with copy.open("rb") as stream:
                self._packer.add_stream(entry, stream, self._warn)
            self._seen(1, entry.size)
        finally:
            copy.unlink(missing_ok=True)
        self.result.databases.append(DatabaseRecord(
            "sqlite", database.name, folder=folder, origin=database.path, tables=tables,
        ))

    # Mail --------------------------------------------------------------------

    def mail(self) -> None:
        assert self._order.mail is not None
        mail = self._order.mail
        aliases = self._reach.read_text(mail.alias_map) if mail.alias_map else ""
        passwd = self._reach.read_text(mail.passwd_file) if mail.passwd_file else ""
        for domain in sorted(mail.domains):
            self._domain(mail, domain, aliases, passwd)

    def _domain(self, mail: MailOrder, domain: str, alias_map: str, passwd_file: str) -> None:
        aliases = mailconf.alias_lines(alias_map, domain)
        passwd = mailconf.passwd_lines(passwd_file, domain)
        settings = mailconf.settings(domain, aliases, passwd)
        if not aliases and not passwd:
            self._warn(f"{domain}: the host's mail files hold no line of this domain")
        self._text(mail.alias_map, f"{domain}/aliases", aliases)
        for mailbox in sorted(settings.mailboxes, key=lambda box: box.address):
            user = mailbox.address.rpartition("@")[0]
            if mail.home and "/" not in user and user not in ("", ".", ".."):
                home = mail.home.format(domain=domain, user=user)
                self._mailbox(mailbox, os.fsencode(home), f"{domain}/home/{user}", mail.messages)
        moment = time.time_ns()
        entry = _made_up("mail", f"{domain}/mail.json".encode(), moment)
        self._packer.add(entry, settings.to_json())
        self._text(mail.passwd_file, f"{domain}/passwd", passwd)
        self._seen(1, entry.size)

    def _text(self, source: str, path: str, lines: list[str]) -> None:
        """The domain's own lines, with the mode and owner of the file they are from."""
        if not source:
            return
        entry = self._reach.describe(os.fsencode(source), "mail", path.encode(), self._warn)
        if entry is None or entry.type != FILE:
            entry = _made_up("mail", path.encode(), time.time_ns())
        self._packer.add(entry, "".join(lines).encode("utf-8", "surrogateescape"))
        self._seen(1, entry.size)

    def _mailbox(self, mailbox: mailconf.Mailbox, home: bytes, below: str, messages: bool) -> None:
        wanted = (b"Maildir", b".dovecot.sieve", b"sieve") if messages else (b".dovecot.sieve", b"sieve")
        base = below.encode()
        if self._reach.type_of(os.fsdecode(home)) != "dir":
            return
        skipped = frozenset(name for name in self._reach.names(home) if name not in wanted)
        for found in self._reach.tree(os.fsdecode(home), Chosen(skipped), self._warn):
            entry = found.entry
            name = entry.path
            if entry.type == FILE and name.startswith(b"sieve/"):
                mailbox.sieve.append(name[6:].decode("utf-8", "backslashreplace"))
            elif name == b".dovecot.sieve" and entry.target is not None:
                mailbox.active_sieve = entry.target.rpartition(b"/")[2].decode("utf-8", "backslashreplace")
            entry.kind, entry.path = "mail", base + b"/" + name if name else base
            if entry.link is not None:
                entry.link = base + b"/" + entry.link
            self._file(entry, found.open)


def _member_folder(database: DatabaseOrder) -> str:
    """Where a database's members lie below ``databases/``."""
    if database.engine == "sqlite":
        return f"sqlite/{database.path}"
    return f"mariadb/{safe_file(database.name)}"


def _made_up(kind: str, path: bytes, moment: int) -> Entry:
    uid, gid = os.geteuid(), os.getegid()
    return Entry(kind, path, mode=0o600, uid=uid, gid=gid, user=user_name(uid),
                 group=group_name(gid), mtime_ns=moment)

