"""An FTP connection (RFC 959), plain or secured by explicit TLS (RFC 4217); passive mode only.

Stores and hosts are reached over it.
"""

from __future__ import annotations

import ftplib
import re
import socket
import ssl
from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime
from itertools import islice
from typing import Any, Literal

from pydantic import Field

from .core.errors import (
    ConnectionLostError,
    FasciculusError,
    MissingError,
    StoreFullError,
    TransferFailedError,
    UnreachableError,
)
from .core.protocols.ftp_listing import FtpEntry, parse_facts, parse_list
from .fields import certificate_field
from .kinds import Secrets, Settings
from .network import reach, resolved, tls_context, untrusted

TIMEOUT = 20.0
#: A server that sends longer lines, or more of them, is not listened to.
_MOST_LINE = 16 * 1024
_MOST_ENTRIES = 1_000_000
_FULL = ("452", "552", "551")
#: How servers say in words that there is no room, under whatever number.
_FULL_WORDS = re.compile(r"no space|disk full|disc full|quota|out of space", re.IGNORECASE)


class FtpSettings(Settings):
    """The connection to an FTP server."""

    address: str = Field(min_length=1, title="Address", examples=["ftp.sedge-quill.example"])
    port: int = Field(default=21, ge=1, le=65535, title="Port")
    user: str = Field(min_length=1, title="User")
    security: Literal["tls", "none"] = Field(
        default="tls",
        title="Security",
        description="“tls” is explicit TLS. With “none”, password and files can be read on the "
        "way.",
    )
    certificate: str = certificate_field()


class FtpSecrets(Secrets):
    """The credentials."""

    password: str | None = Field(
        default=None,
        repr=False,
        title="Password",
        description="The password of the FTP account; the provider's panel lists it next to the "
        "address.",
    )


@dataclass(frozen=True, slots=True)
class FtpSpec:
    """The specification of an FTP connection; ``what`` names its user, as in “store
    “boathouse””.
    """

    settings: FtpSettings
    secrets: Mapping[str, str] = field(default_factory=dict, repr=False)
    stall_timeout: float = 120.0
    what: str = "the server"

    @property
    def where(self) -> str:
        """Return host and port, for messages."""
        return f"{self.settings.address}, port {self.settings.port}"


class _AnyNames:
    """Names that are not UTF-8 go to the server as they came from it."""

    def putline(self: Any, line: str) -> None:
        self.sock.sendall(line.encode("utf-8", "surrogateescape") + b"\r\n")


class _Plain(_AnyNames, ftplib.FTP):
    """A connection in the clear."""


class _Tls(_AnyNames, ftplib.FTP_TLS):
    """Data connections reuse the TLS session of the control connection, as servers require."""

    def ntransfercmd(self, cmd: str, rest: int | str | None = None) -> tuple[socket.socket, int]:
        connection, size = ftplib.FTP.ntransfercmd(self, cmd, rest)
        if self._prot_p:  # type: ignore[attr-defined]
            control = self.sock
            assert isinstance(control, ssl.SSLSocket)
            connection = self.context.wrap_socket(
                connection, server_hostname=self.host, session=control.session
            )
        return connection, size or 0


class FtpConnection:
    """One signed-in control connection. Paths are absolute."""

    def __init__(self, spec: FtpSpec) -> None:
        self.spec = spec
        self._ftp: ftplib.FTP | None = None
        self._link: socket.socket | None = None
        self.features: set[str] = set()

    @property
    def is_open(self) -> bool:
        """Return whether it is connected."""
        return self._ftp is not None

    # Connecting --------------------------------------------------------------

    def resolve(self) -> str:
        """Find the server's address; like the next three, says what it found."""
        self.close()
        return resolved(self.spec.settings.address)

    def reach(self) -> str:
        """Open the control connection and hear its greeting."""
        settings = self.spec.settings
        link = reach(settings.address, settings.port, TIMEOUT)
        ftp: ftplib.FTP = _Plain()
        if settings.security == "tls":
            ftp = _Tls(context=tls_context(settings.certificate))
        ftp.encoding = "utf-8"
        ftp.maxline = _MOST_LINE
        ftp.host, ftp.port, ftp.timeout = settings.address, settings.port, self.spec.stall_timeout
        link.settimeout(min(TIMEOUT, self.spec.stall_timeout))
        ftp.sock, ftp.af = link, link.family
        # Names that are not UTF-8 pass unchanged in both directions.
        ftp.file = link.makefile("r", encoding="utf-8", errors="surrogateescape")
        self._ftp = ftp
        try:
            with self.said("the greeting"):
                ftp.welcome = ftp.getresp()
        except ConnectionLostError as error:
            if isinstance(error.__cause__, ftplib.Error):
                raise
            raise ConnectionLostError(
                f"{self.spec.where} answers, but does not greet as an FTP server does.",
                "Correct the port: 21 is usual. Port 990 begins with TLS at once, which is not "
                "offered here; use explicit TLS on port 21.",
                field="port",
            ) from error
        link.settimeout(self.spec.stall_timeout)
        return f"{self.spec.where} answers."

    def identify(self) -> str:
        """Secure the connection and check the certificate."""
        if not isinstance(self._ftp, ftplib.FTP_TLS):
            return "Not checked: without TLS nothing proves which server this is."
        with self.said("TLS"):
            try:
                self._ftp.auth()
            except ftplib.error_perm as error:
                raise UnreachableError(
                    f"{self.spec.where} offers no TLS: {printable(str(error))}.",
                    "Ask its provider for TLS, or reach it over SFTP. With security “none”, "
                    "password and files can be read on the way.",
                    field="security",
                ) from error
        return "Its certificate is valid for that address."

    def sign_in(self) -> str:
        """Sign in, and learn what the server can do."""
        settings, ftp = self.spec.settings, self.raw
        with self.said("signing in"):
            try:
                # Not through ftplib's own prelude: the channel is secured already.
                ftplib.FTP.login(ftp, settings.user, self.spec.secrets.get("password", ""))
            except ftplib.error_perm as error:
                raise UnreachableError(
                    f"{settings.address} does not accept the password of user “{settings.user}”: "
                    f"{printable(str(error))}.",
                    "Give the right user and password.",
                    field="password",
                ) from error
            if isinstance(ftp, ftplib.FTP_TLS):
                ftp.prot_p()
            with suppress(ftplib.error_perm):
                answer = ftp.sendcmd("FEAT")
                self.features = {line.strip().upper() for line in answer.splitlines()[1:-1]}
            if "UTF8" in self.features:
                with suppress(ftplib.error_perm):
                    ftp.sendcmd("OPTS UTF8 ON")
            ftp.voidcmd("TYPE I")
        return f"Signed in as {settings.user}."

    def open(self) -> None:
        """Run all four steps; harmless if that was done already."""
        if self._ftp is None:
            try:
                for step in (self.resolve, self.reach, self.identify, self.sign_in):
                    step()
            except FasciculusError:
                self.close()
                raise

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._ftp is not None:
            with suppress(Exception):
                self._ftp.close()
        self._ftp = None

    @property
    def raw(self) -> ftplib.FTP:
        """Return the connection. Raises ``ConnectionLostError`` if there is none."""
        if self._ftp is None:
            raise ConnectionLostError(f"The connection to {self.spec.what} was lost.")
        return self._ftp

    def has(self, command: str) -> bool:
        """Return whether the server offers a command of a later standard (RFC 2389)."""
        return any(line.split(" ")[0] == command for line in self.features)

    @contextmanager
    def said(self, path: str) -> Iterator[None]:
        """Turn errors of ftplib and sockets into ours."""
        what = self.spec.what
        try:
            yield
        except FasciculusError:
            raise
        except ssl.SSLCertVerificationError as error:
            self.close()
            raise untrusted(self.spec.where, error) from error
        except ftplib.error_perm as error:
            if _is_full(error):
                raise self._full(path) from error
            if str(error)[:3] == "530":
                # The session has ended.
                self.close()
                raise ConnectionLostError(
                    f"{_capital(what)} requires signing in again: {printable(str(error))}.",
                    "It is tried again.",
                ) from error
            raise UnreachableError(
                f"{_capital(what)} refused {path}: {printable(str(error))}.",
                "Check the user's rights and quota there.",
            ) from error
        except (ftplib.Error, OSError, EOFError) as error:
            if _is_full(error):
                raise self._full(path) from error
            # After an interrupted transfer, the next answer may still belong to it.
            self.close()
            if isinstance(error, ftplib.error_temp) and str(error)[:3] != "421":
                raise TransferFailedError(
                    f"{_capital(what)} could not take or give {path}: {printable(str(error))}.",
                    "Runs try again by themselves.",
                ) from error
            raise ConnectionLostError(
                f"The connection to {what} was lost ({printable(str(error)) or 'no answer'}).",
                "Check the line. Runs try again by themselves.",
            ) from error

    def _full(self, path: str) -> StoreFullError:
        return StoreFullError(
            f"{_capital(self.spec.what)} is full: {path} did not fit.",
            "Free space there, or keep fewer copies.",
        )

    # Files -------------------------------------------------------------------

    def entries(self, folder: str) -> list[FtpEntry]:
        """Return the contents of a folder: by MLSD (RFC 3659) if supported, otherwise by LIST.

        Raises ``MissingError`` if there is no such folder.
        """
        if not self.has("MLST"):
            return self.entries_by_list(folder)
        with self._listing(folder):
            return _known(map(parse_facts, self._lines(f"MLSD {_argument(folder)}")))

    def entries_by_list(self, folder: str) -> list[FtpEntry]:
        """Return the contents of a folder by LIST, which tells links; with less exact times.

        Raises ``MissingError`` if there is no such folder.
        """
        with self._listing(folder):
            self.raw.cwd(_argument(folder))
            now = datetime.now(UTC)
            return _known(parse_list(line, now) for line in self._lines("LIST -a"))

    @contextmanager
    def _listing(self, folder: str) -> Iterator[None]:
        with self.said(folder):
            try:
                yield
            except ftplib.error_perm as error:
                if str(error)[:3] in ("550", "501", "553"):
                    raise MissingError(f"{folder} is not on {self.spec.what}.") from error
                raise

    def _lines(self, command: str) -> Iterator[str]:
        # Not through ftplib's retrlines, which leaves the connection in ASCII mode.
        connection, _ = self.raw.ntransfercmd(command)
        connection.settimeout(self.spec.stall_timeout)
        with connection.makefile("rb") as source:
            lines = list(islice(iter(lambda: source.readline(_MOST_LINE), b""), _MOST_ENTRIES))
        if len(lines) == _MOST_ENTRIES:
            raise OSError("the listing does not end")
        self.end(connection)
        for line in lines:
            yield line.rstrip(b"\r\n").decode("utf-8", "surrogateescape")

    def size(self, path: str) -> int | None:
        """Return a file's size in bytes, or None when there is no such file."""
        with self.said(path):
            try:
                return self.raw.size(_argument(path))
            except ftplib.error_perm as error:
                if str(error)[:3] == "550":
                    return None
                raise

    def modified(self, path: str) -> datetime | None:
        """Return when a file was changed (MDTM, RFC 3659), or None where the server does
        not tell.
        """
        with self.said(path):
            try:
                answer = self.raw.sendcmd(f"MDTM {_argument(path)}").split()[1]
                return datetime.strptime(answer[:14], "%Y%m%d%H%M%S").replace(tzinfo=UTC)
            except (ftplib.error_perm, ValueError, IndexError):
                return None

    def make_folder(self, folder: str) -> None:
        """Make a folder; harmless when it is there."""
        with self.said(folder):
            try:
                self.raw.mkd(_argument(folder))
            except ftplib.error_perm as refused:
                # It may be there already; if not, why it was not made is what counts.
                try:
                    self.raw.cwd(_argument(folder))
                except ftplib.error_perm:
                    raise refused from None

    def rename(self, path: str, to: str) -> None:
        """Rename a file in its folder, replacing any file of that name."""
        with self.said(path):
            try:
                self.raw.rename(_argument(path), _argument(to))
            except ftplib.error_perm as error:
                raise UnreachableError(
                    f"{_capital(self.spec.what)} refused to rename {path}: "
                    f"{printable(str(error))}.",
                    "Give this user the right to rename files.",
                ) from error

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""
        with self.said(path):
            try:
                self.raw.delete(_argument(path))
            except ftplib.error_perm as error:
                if str(error)[:3] != "550" or self.size(path) is not None:
                    raise

    def remove_folder(self, folder: str) -> None:
        """Remove an empty folder; harmless if it does not exist."""
        with self.said(folder), suppress(ftplib.error_perm):
            self.raw.rmd(_argument(folder))

    def set_mode(self, path: str, mode: int) -> None:
        """Set the mode of an entry, if the server can."""
        self._wish(path, f"SITE CHMOD {mode:o} {_argument(path)}")

    def set_time(self, path: str, moment: datetime) -> None:
        """Set the modification time of a file (MFMT), if the server can."""
        if self.has("MFMT"):
            self._wish(path, f"MFMT {moment:%Y%m%d%H%M%S} {_argument(path)}")

    def _wish(self, path: str, command: str) -> None:
        with self.said(path), suppress(ftplib.error_perm, ftplib.error_temp):
            self.raw.sendcmd(command)

    def send(self, path: str, chunks: Iterable[bytes], command: str = "STOR") -> None:
        """Write a file, or append to it (``APPE``). If the chunks end early, so does the
        connection: what has arrived is not the file.
        """
        with self.said(path):
            connection = self.transfer(command, path)
            try:
                for chunk in chunks:
                    connection.sendall(chunk)
            except BaseException:
                connection.close()
                self.close()
                raise
            self.end(connection)

    def transfer(self, command: str, path: str, offset: int = 0) -> socket.socket:
        """Return the data connection of a command such as RETR or STOR."""
        connection, _ = self.raw.ntransfercmd(f"{command} {_argument(path)}", offset or None)
        connection.settimeout(self.spec.stall_timeout)
        return connection

    def end(self, connection: socket.socket) -> None:
        """End a data connection, and hear how the transfer went."""
        if isinstance(connection, ssl.SSLSocket):
            with suppress(OSError, ValueError):
                connection.unwrap()
        connection.close()
        self.raw.voidresp()

    @contextmanager
    def hurried(self) -> Iterator[None]:
        """Wait for answers no longer than for a greeting: where the server has little to do, or has
        broken a transfer off, it answers at once or, as some do on a full disk, never.
        """
        link = self.raw.sock
        if link is not None:
            link.settimeout(min(TIMEOUT, self.spec.stall_timeout))
        try:
            yield
        finally:
            # It may be another one by now, or none.
            if link is not None and self._ftp is not None and self._ftp.sock is link:
                link.settimeout(self.spec.stall_timeout)

    def sha256(self, path: str) -> str | None:
        """Return a file's SHA-256 as the server computes it, or None where it cannot.

        HASH is draft-bryan-ftpext-hash; XSHA256 is what several servers had before it.
        """
        with self.said(path):
            for command in ("HASH", "XSHA256"):
                if not self.has(command):
                    continue
                with suppress(ftplib.error_perm, ftplib.error_temp):
                    if command == "HASH":
                        self.raw.sendcmd("OPTS HASH SHA-256")
                    words = self.raw.sendcmd(f"{command} {_argument(path)}").lower()
                    if found := re.search(r"\b[0-9a-f]{64}\b", words):
                        return found[0]
        return None

    def free(self, folder: str) -> int | None:
        """Free bytes (AVBL, draft-peterson-streamlined-ftp), or None."""
        if not self.has("AVBL"):
            return None
        with self.said(folder), suppress(ftplib.error_perm):
            found = re.search(r"\d+", self.raw.sendcmd(f"AVBL {_argument(folder)}")[3:])
            return int(found[0]) if found else None
        return None


def _known(entries: Iterator[FtpEntry | None]) -> list[FtpEntry]:
    # Whatever a server lists, a name is one name of that folder.
    return sorted(
        (e for e in entries if e is not None and "/" not in e.name and e.name not in (".", "..")),
        key=lambda entry: entry.name,
    )


def _argument(path: str) -> str:
    """Return a path as part of a command: a line feed in it would begin another command."""
    if "\r" in path or "\n" in path or "\0" in path:
        raise UnreachableError(
            f"{path!r} cannot be named over FTP.", "Rename it, or reach the server over SFTP."
        )
    return path


def _is_full(error: Exception) -> bool:
    """Return whether an answer says that there is no room, by its number or its words."""
    said = str(error)
    return said[:3] in _FULL or (said[:1] in "45" and _FULL_WORDS.search(said) is not None)


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def printable(text: str) -> str:
    """Return what a server said, short, without control characters and its full stop."""
    return "".join(c if c.isprintable() else " " for c in text)[:200].strip(" .")
