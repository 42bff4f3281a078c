"""The parts of a lost account other than its home and databases: its user, mail and system
settings, and a request to each of its sites.
"""

from __future__ import annotations

import os
import posixpath
import shlex
from collections.abc import Iterator
from dataclasses import replace
from fnmatch import translate
from pathlib import Path
from re import DOTALL
from re import compile as compiled
from typing import BinaryIO

import msgspec

from ...bundles.files import unsealed
from ...contracts.events import Progress
from ...contracts.orders import LostAccountOrder
from ...core.bundle.entry import FILE, SYMLINK, Entry
from ...core.bundle.reader import BundleReader
from ...core.errors import DamagedError, FasciculusError, SettingError, UnreachableError
from ...core.restore.actions import Action
from ...core.restore.plan_line import PlanLine, PlanSummary
from ...core.system_user import SystemUser, system_user
from ...hosts.base import HostConnection
from ...stores.base import Store
from ..emitter import Emitter
from .execution import PlanExecution
from .losses import Losses
from .plan import RestorePlan
from .site_page import page_status
from .writer import EntryWriter, check_path

_SECONDS = 120.0
_USER = "@user/"
#: How a pattern of names ends as an expression.
_END = r"\Z"
_NO_LOGIN = "/usr/sbin/nologin"


class LostAccount:
    """The steps around a restore in place that bring a whole account back."""

    def __init__(
        self,
        plan: RestorePlan,
        order: LostAccountOrder,
        host: HostConnection,
        emitter: Emitter,
        losses: Losses,
        progress: Progress,
    ) -> None:
        self._plan, self._order, self._host = plan, order, host
        self._emitter, self._losses, self._progress = emitter, losses, progress
        self._allowed = [
            compiled(f"{translate(pattern.strip('/')).removesuffix(_END)}(?:/.*)?{_END}", DOTALL)
            for pattern in order.system
        ]

    # The plan --------------------------------------------------------------------

    def plan(self, lines: BinaryIO) -> PlanSummary:
        """Write the plan lines of the user, mail and system settings; return their sums."""
        summary = PlanSummary()
        for line in self._lines():
            summary.add(line)
            lines.write(msgspec.json.encode(line) + b"\n")
        return summary

    def _lines(self) -> Iterator[PlanLine]:
        if self._order.user and not self._has_user():
            yield PlanLine(Action.CREATE, self._order.user, "user", why="it does not exist")
        for entry in self._settings():
            path = _absolute(entry)
            if self._host.type_of(path):
                yield PlanLine(Action.KEEP, path, "setting", entry.size, why="it exists")
            else:
                yield PlanLine(Action.CREATE, path, "setting", entry.size)
        for domain in self._plan.order.mail.domains if self._plan.order.mail else ():
            yield PlanLine(Action.REPLACE, domain, "mail", why="its lines, and missing messages")

    def _settings(self) -> Iterator[Entry]:
        """Yield the system settings that may come back: those that the host's patterns name now."""
        for entry in self._plan.entries(["system"]):
            if entry.text.startswith(_USER) or entry.type not in (FILE, SYMLINK):
                continue
            if any(pattern.match(entry.text) for pattern in self._allowed):
                yield entry
            else:
                self._emitter.warn(f"/{entry.text}: no pattern of the host names it; it stays out")

    # The user --------------------------------------------------------------------

    def make_user(self, store: Store, spool: Path) -> None:
        """Create the user and its group, with the same numbers where these are free."""
        name = self._order.user
        if not name or self._has_user():
            return
        try:
            user = self._recorded_user(store, spool)
        except DamagedError as error:
            raise SettingError(
                f"The user {name} does not exist, and cannot be created: {error.message}",
                f"Create it (useradd {name}), and start the restore again.",
                field="account",
            ) from error
        if user is None:
            self._emitter.warn(
                f"user {name} does not exist, and the bundle has no lines of it: it is not created"
            )
            return
        self._run(self._group_command(user))
        self._run(self._user_command(user))
        if user.password and self._plan.with_special_modes:
            # By standard input: others can read the words of a command.
            self._run("chpasswd -e", f"{name}:{user.password}\n".encode())
        self._emitter.info(f"user {name} is created")

    def _has_user(self) -> bool:
        return self._succeeds(f"getent passwd {shlex.quote(self._order.user)} >/dev/null")

    def _succeeds(self, command: str) -> bool:
        return self._host.run(command, _SECONDS).code == 0

    def _recorded_user(self, store: Store, spool: Path) -> SystemUser | None:
        texts = {"passwd": "", "shadow": ""}
        with BundleReader(unsealed(store), self._plan.order.source, spool) as reader:
            for entry in self._plan.entries(["system"]):
                name = entry.text.removeprefix(_USER)
                if entry.text.startswith(_USER) and name in texts:
                    texts[name] = b"".join(reader.contents(entry)).decode("utf-8", "replace")
        if not texts["passwd"]:
            return None
        user = system_user(self._order.user, texts["passwd"], texts["shadow"])
        if user.home != self._plan.order.subject.home:
            raise DamagedError(f"Its home in the bundle is {user.home}.")
        if not self._plan.with_special_modes:
            # A copy that nobody vouches for lets nobody in.
            user = replace(user, password="", shell=_NO_LOGIN)
        return user

    def _group_command(self, user: SystemUser) -> str:
        name = shlex.quote(user.name)
        number = "" if self._succeeds(f"getent group {user.gid} >/dev/null") else f"-g {user.gid} "
        if not number:
            self._emitter.warn(f"group number {user.gid} is taken; {user.name} gets another one")
        return f"getent group {name} >/dev/null || groupadd {number}{name}"

    def _user_command(self, user: SystemUser) -> str:
        number = f"-u {user.uid}"
        if self._succeeds(f"getent passwd {user.uid} >/dev/null"):
            self._emitter.warn(f"user number {user.uid} is taken; {user.name} gets another one")
            number = ""
        words = ["useradd", "-M", "-d", user.home, "-s", user.shell, "-c", user.gecos]
        quoted = " ".join(map(shlex.quote, [*words, "-g", user.name, user.name]))
        return f"{quoted} {number}".strip()

    def _run(self, command: str, stdin: bytes = b"") -> None:
        ran = self._host.run(command, _SECONDS, stdin)
        if ran.code != 0:
            said = ran.output.decode("utf-8", "replace").strip()[:300]
            raise SettingError(
                f"The user {self._order.user} cannot be created: {said}.",
                "Create it, and start the restore again.",
                field="account",
            )

    # Afterwards ------------------------------------------------------------------

    def finish(self, store: Store, spool: Path) -> int:
        """Bring mail and system settings back, run the host's commands, and ask each site; return
        the number of entries.
        """
        count = 0
        if self._plan.order.mail is not None:
            # Databases are back already.
            only_mail = replace(self._plan, databases=[])
            execution = PlanExecution(
                only_mail, self._host, None, self._emitter, self._losses, self._progress
            )
            count += execution.run(store, spool)
        count += self._system(store, spool)
        for command in self._order.refresh:
            self._refresh(command)
        for site in self._order.sites:
            self._ask(site)
        return count

    def _system(self, store: Store, spool: Path) -> int:
        """Write the settings that do not exist; none is replaced."""
        self._progress.stage = "system"
        if not self._plan.with_special_modes:
            self._emitter.warn(
                "System settings stay out: the records do not vouch for this copy. Allow it "
                "(--special-modes) if you trust its store."
            )
            return 0
        count = 0
        with BundleReader(unsealed(store), self._plan.order.source, spool) as reader:
            for entry in self._settings():
                path = _absolute(entry)
                if self._host.type_of(path):
                    continue
                count += self._write(path, entry, reader, spool)
        return count

    def _write(self, path: str, entry: Entry, reader: BundleReader, spool: Path) -> int:
        try:
            check_path(entry.path, entry)
            writer = EntryWriter(
                self._host.writable_tree(posixpath.dirname(path)),
                spool,
                self._emitter,
                self._losses,
                self._progress,
                self._plan.with_special_modes,
                self._plan.order.owners,
            )
            try:
                came = writer.put(os.fsencode(posixpath.basename(path)), entry, reader)
                writer.finish()
            finally:
                writer.close()
        except (OSError, FasciculusError) as error:
            self._losses.not_written(path, str(error))
            return 0
        self._emitter.info(f"{path} is back")
        return came

    def _refresh(self, command: str) -> None:
        ran = self._host.run(command, _SECONDS)
        said = ran.output.decode("utf-8", "replace").strip()[:300]
        if ran.code != 0:
            self._emitter.warn(f"{command} ended with code {ran.code}: {said}")
        else:
            self._emitter.info(f"{command}: done")

    def _ask(self, site: str) -> None:
        """Ask for a site's first page, as a browser would that finds it at the host's address."""
        where = f"http://{self._order.web_address}/"
        try:
            status = page_status(self._order.web_address, site)
        except UnreachableError as error:
            self._emitter.warn(error.message)
            return
        said = f"site {site} answers {status} at {where}"
        if status >= 500:
            self._emitter.warn(said)
        else:
            self._emitter.info(said)


def _absolute(entry: Entry) -> str:
    return "/" + entry.path.decode("utf-8", "surrogateescape")
