"""Lines of a host's mail files as they were before a restore, for its undo."""

from __future__ import annotations

import hashlib
import json
import os
from dataclasses import asdict, dataclass
from pathlib import Path

from ...core import mail_config
from ...core.errors import FasciculusError
from ...hosts.base import HostConnection, Problems
from ..emitter import Emitter

_FILE = "mail.json"
_SECONDS = 120.0


@dataclass(frozen=True, slots=True)
class ReplacedLines:
    """A file before a restore has replaced the lines of a domain in it; ``what`` is its kind, such
    as “aliases” or “passwd”. ``after`` is the SHA-256 of the file afterwards, ``lines`` are those
    of the domain in it.
    """

    path: str
    what: str
    domain: str
    before: str
    after: str
    lines: list[str]

    def its_lines(self, text: str) -> list[str]:
        """Return the domain's lines in a text of that kind."""
        if self.what == "passwd":
            return mail_config.passwd_lines(text, self.domain)
        return mail_config.map_lines(text, self.domain)

    def undone(self, text: str) -> str:
        """Return the former text, with changes that others have made since."""
        if _digest(text) == self.after:
            return self.before
        merged = mail_config.merged_passwd if self.what == "passwd" else mail_config.merged_map
        return merged(text, self.domain, self.its_lines(self.before))


def replaced_lines(path: str, what: str, domain: str, before: str, after: str) -> ReplacedLines:
    """Return what is kept of a change."""
    found = ReplacedLines(path, what, domain, before, _digest(after), [])
    found.lines.extend(found.its_lines(after))
    return found


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode("utf-8", "surrogateescape")).hexdigest()


class KeptMail:
    """The changes of one restore to mail files, in a folder of the service's home."""

    def __init__(self, folder: Path) -> None:
        self._file = folder / _FILE
        self._rows: list[ReplacedLines] = []
        self._refresh: list[str] = []

    def __bool__(self) -> bool:
        return bool(self._rows)

    def load(self) -> None:
        """Read what was kept, if anything was."""
        try:
            found = json.loads(self._file.read_bytes())
        except FileNotFoundError:
            return
        self._rows = [ReplacedLines(**row) for row in found["rows"]]
        self._refresh = found["refresh"]

    def add(self, row: ReplacedLines, refresh: list[str]) -> None:
        """Keep a change before it is made."""
        self._rows.append(row)
        self._refresh = refresh
        self._file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
        data = json.dumps({"rows": [asdict(kept) for kept in self._rows], "refresh": refresh})
        partial = self._file.with_suffix(".new")
        partial.touch(mode=0o600)
        with partial.open("w") as sink:
            sink.write(data)
            sink.flush()
            os.fsync(sink.fileno())
        partial.rename(self._file)

    def changed(self, host: HostConnection) -> list[str]:
        """Return the domains whose lines have changed since."""
        newest = {(row.path, row.domain): row for row in self._rows}
        return [
            f"{row.domain} in {row.path}"
            for row in newest.values()
            if row.its_lines(host.read_text(row.path)) != row.lines
        ]

    def undo(self, host: HostConnection, emitter: Emitter) -> Problems:
        """Put the lines back, and run the host's commands; return what failed."""
        problems: Problems = []
        for row in reversed(self._rows):
            try:
                text = host.read_text(row.path)
                before = row.undone(text)
                if before != text:
                    host.write(row.path, before.encode("utf-8", "surrogateescape"))
            except (FasciculusError, OSError) as error:
                problems.append((row.path, str(error)))
        for command in self._refresh if self._rows else ():
            ran = host.run(command, _SECONDS)
            if ran.code != 0:
                said = ran.output.decode("utf-8", "replace").strip()[:300]
                emitter.warn(f"{command} ended with code {ran.code}: {said}")
        return problems
