"""A folder on a server that speaks WebDAV (RFC 4918)."""

from __future__ import annotations

import io
import posixpath
import re
import ssl
from collections.abc import Callable, Generator, Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, BinaryIO, Literal
from urllib.parse import quote, urlsplit, urlunsplit

import httpx
from pydantic import Field, field_validator

from ..core.errors import (
    ConnectionLostError,
    DamagedError,
    FasciculusError,
    MissingError,
    StoreFullError,
    TransferFailedError,
    UnreachableError,
)
from ..core.protocols.webdav_answer import PROPERTIES, Resource, parse_resources
from ..fields import certificate_field
from ..kinds import Secrets
from ..network import reach, resolved, root_of, tls_context, untrusted
from . import chunk_size
from .base import (
    ConnectStep,
    StoreItem,
    StoreKind,
    StoreSettings,
    StoreSpec,
    TlsAddress,
    https_address,
    listed_items,
)
from .made_folders import MadeFolders
from .retry_after import retry_after

_CHUNK = 256 * 1024
_CONNECT_SECONDS = 20.0
#: Larger than the listing of any of our folders.
_MOST_ANSWER = 64 * 1024 * 1024
_BUSY = (408, 423, 425, 429, 500, 502, 503, 504)


#: Characters allowed unencoded in the path of an address (RFC 3986), “%” included.
_IN_PATHS = "/:@!$&'()*+,;=%~"


def web_address(value: str) -> str:
    """Return an address of the web without a name and password in it, and without a slash at its
    end.
    """
    parts = urlsplit(value.strip())
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise ValueError("Enter an address such as “https://drive.sedge-quill.example/dav”.")
    if parts.username or parts.password:
        raise ValueError("Enter the address without a password; it has its own field.")
    # Non-ASCII characters are encoded as in RFC 3986; encoded ones are unchanged.
    path = re.sub(r"%(?![0-9A-Fa-f]{2})", "%25", parts.path.rstrip("/"))
    return urlunsplit(parts._replace(path=quote(path, safe=_IN_PATHS)))


class WebDavSettings(StoreSettings):
    """A folder on a WebDAV server, and how to sign in there."""

    kind: Literal["webdav"] = "webdav"
    url: str = Field(
        min_length=1,
        title="Address of the folder",
        description="Created if missing; its parent folder must exist.",
        examples=["https://drive.sedge-quill.example/dav/bundles"],
    )
    sign_in: Literal["basic", "digest", "bearer"] = Field(
        default="basic",
        title="Sign in by",
        description="“bearer” sends a token instead of user and password.",
    )
    user: str = Field(default="", title="User")
    certificate: str = certificate_field()

    @field_validator("url")
    @classmethod
    def _url(cls, value: str) -> str:
        return web_address(value)

    def tls_address(self) -> TlsAddress | None:
        """Return the address that presents a certificate, None without TLS."""
        return https_address(self.url)

    def unprotected(self) -> str:
        """Return what is readable in transit, empty if nothing."""
        return "password and files" if self.url.startswith("http:") else ""

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        return f"webdav {self.url.partition('://')[2]}"


class WebDavSecrets(Secrets):
    """The credentials: a password or a token."""

    password: str | None = Field(
        default=None,
        repr=False,
        title="Password",
        description="Many drives have passwords for single programs, under “security”.",
    )
    token: str | None = Field(
        default=None, repr=False, title="Token", description="For “bearer”, instead of a password."
    )


def _credentials(settings: WebDavSettings, secrets: dict[str, str]) -> httpx.Auth | None:
    password = secrets.get("password", "")
    if settings.sign_in == "digest":
        return httpx.DigestAuth(settings.user, password)
    if settings.sign_in == "bearer":
        return BearerAuth(secrets.get("token", ""))
    return httpx.BasicAuth(settings.user, password)


class BearerAuth(httpx.Auth):
    """Sends a token with each request (RFC 6750)."""

    def __init__(self, token: str) -> None:
        self.token = token

    def auth_flow(self, request: httpx.Request) -> Generator[httpx.Request, httpx.Response, None]:
        """Add the token to a request."""
        request.headers["Authorization"] = f"Bearer {self.token}"
        yield request


def open_webdav(spec: StoreSpec) -> WebDavStore:
    """Return a WebDAV store that is not connected yet."""
    settings = spec.settings
    assert isinstance(settings, WebDavSettings)
    return WebDavStore(
        spec, settings.url, _credentials(settings, spec.secrets), settings.certificate
    )


class WebDavStore:
    """A store below an address. Redirections are not followed: they would take secrets along."""

    digests_itself = True
    proves_transfer = False

    def __init__(
        self, spec: StoreSpec, url: str, auth: httpx.Auth | None, certificate: str = ""
    ) -> None:
        self.spec, self._auth, self._certificate = spec, auth, certificate
        self._url = url
        self._base = urlsplit(url)
        self._made_client: httpx.Client | None = None
        self._folders = MadeFolders(self._make_folder)
        self._arrived: dict[str, int] = {}
        #: Whether the server can write a part of a file; None until tested.
        self._takes_chunks: bool | None = None

    # Connecting --------------------------------------------------------------

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""
        if self._made_client is None:
            self._find_root()

    def connecting(self) -> list[ConnectStep]:
        """Return the steps of connecting, for a test."""
        parts = self._base
        address = parts.hostname or ""
        port = parts.port or (443 if parts.scheme == "https" else 80)
        return [
            ConnectStep("resolve", lambda: resolved(address)),
            ConnectStep("connect", lambda: self._reach(address, port)),
            ConnectStep("server", self._identify),
            ConnectStep("sign in", self._sign_in),
            ConnectStep("folder", self._find_root),
        ]

    def _reach(self, address: str, port: int) -> str:
        self.close()
        reach(address, port, _CONNECT_SECONDS).close()
        return f"{address}, port {port} answers."

    def _identify(self) -> str:
        if self._base.scheme == "http":
            return "Not checked: without HTTPS nothing proves which server this is."
        with self._said(""):
            self._client.request("OPTIONS", self._url, auth=None)
        return "Its certificate is valid for that address."

    def _sign_in(self) -> str:
        with suppress(MissingError):
            self._resources("", depth=0)
        return "Signed in."

    def _find_root(self) -> str:
        try:
            if not self._resources("", depth=0)[:1]:
                raise MissingError("")
        except MissingError as error:
            raise MissingError(
                f"There is no folder at {self._url}.", "Create it, or correct the address."
            ) from error
        return f"{self._url} exists."

    def make_root(self) -> None:
        """Create the root folder; harmless if it exists."""
        self._make_folder("")

    @property
    def _client(self) -> httpx.Client:
        if self._made_client is None:
            stall_timeout = self.spec.stall_timeout
            self._made_client = httpx.Client(
                auth=self._auth,
                # Without TLS there is no certificate, and no authority need be read.
                verify=False if self._url.startswith("http:") else tls_context(self._certificate),
                timeout=httpx.Timeout(stall_timeout, connect=_CONNECT_SECONDS),
                follow_redirects=False,
                # A name and password of this machine's user are none of the server's business.
                trust_env=False,
            )
        return self._made_client

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._made_client is not None:
            self._made_client.close()
        self._made_client = None

    @contextmanager
    def _said(self, path: str) -> Iterator[None]:
        try:
            yield
        except httpx.TransportError as error:
            self.close()
            if isinstance(cause := root_of(error), ssl.SSLCertVerificationError):
                raise untrusted(str(self._base.hostname), cause) from error
            raise ConnectionLostError(
                f"The connection to store “{self.spec.name}” was lost.",
                "Check the line. Runs try again by themselves.",
            ) from error

    def _address(self, path: str) -> str:
        """Return the address of a file, or of a folder where a slash ends the path (RFC
        4918, 5.2).
        """
        end = "/" if path.endswith("/") else ""
        path = posixpath.normpath(path).strip("/") if path else ""
        return (self._url if path in ("", ".") else f"{self._url}/{quote(path)}") + end

    def _ask(self, method: str, path: str, good: tuple[int, ...], **values: Any) -> httpx.Response:
        with self._said(path):
            answer = self._client.request(method, self._address(path), **values)
        if answer.status_code not in good:
            raise self._refusal(path.rstrip("/"), answer)
        return answer

    def _refusal(self, path: str, answer: httpx.Response) -> FasciculusError:
        status, name = answer.status_code, self.spec.name
        path = path.removesuffix(".part")
        if status in (404, 410):
            return MissingError(f"{path} is not on store “{name}”.")
        if status in (507, 413):
            return StoreFullError(
                f"Store “{name}” is full: {path} did not fit.",
                "Free space there, or keep fewer copies.",
            )
        if status == 401:
            return UnreachableError(
                f"{self._base.hostname} does not accept what store “{name}” signs in with.",
                "Give the right user and password, or a valid token.",
                field="password",
            )
        if status == 403:
            return UnreachableError(
                f"Store “{name}” does not permit {path or 'its folder'}.",
                "Give this user the right to read and write there.",
            )
        if status in _BUSY:
            wait = retry_after(answer.headers.get("Retry-After"), datetime.now(UTC))
            # 500 is what some servers answer when their disk is full.
            kind = TransferFailedError if status == 500 else ConnectionLostError
            return kind(f"Store “{name}” does not answer now (status {status}).").after(wait)
        if 300 <= status < 400:
            return UnreachableError(
                f"Store “{name}” redirects to another address.", "Give that address instead."
            )
        return UnreachableError(
            f"Store “{name}” refused {path or 'its folder'} (status {status}).",
            "Is this the address of a WebDAV folder?",
        )

    # Reading -----------------------------------------------------------------

    def _resources(self, path: str, depth: int) -> list[Resource]:
        headers = {"Depth": str(depth), "Content-Type": "application/xml"}
        with self._said(path):
            with self._client.stream(
                "PROPFIND", self._address(path), content=PROPERTIES, headers=headers
            ) as answer:
                if answer.status_code != 207:
                    raise self._refusal(path, answer)
                parts, size = [], 0
                for part in answer.iter_bytes(_CHUNK):
                    size += len(part)
                    if size > _MOST_ANSWER:
                        raise DamagedError(f"The list of {path} does not end.", "Check the server.")
                    parts.append(part)
        return parse_resources(b"".join(parts))

    def items(self, folder: str) -> list[StoreItem]:
        """Return the contents of a folder, by name."""
        try:
            found = self._resources(folder.strip("./"), depth=1)
        except MissingError:
            return []
        # The server may call itself by another path: the folder is the shortest.
        own = min((row.path for row in found), key=len, default="")
        rows = (
            (row.name, row.size, row.folder)
            for row in found
            if row.path != own and row.path.rpartition("/")[0] == own
        )
        return listed_items(self.spec.name, rows)

    def _resource(self, path: str) -> Resource | None:
        try:
            return next(iter(self._resources(path, depth=0)), None)
        except MissingError:
            return None

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes."""
        if length == 0:
            return io.BytesIO()
        end = "" if length is None else offset + length - 1
        headers = {"Accept-Encoding": "identity"}
        if offset or length is not None:
            headers["Range"] = f"bytes={offset}-{end}"
        with self._said(path):
            request = self._client.build_request("GET", self._address(path), headers=headers)
            answer = self._client.send(request, stream=True)
        if answer.status_code == 416:
            answer.close()
            return io.BytesIO()
        if answer.status_code not in (200, 206):
            answer.close()
            raise self._refusal(path, answer)
        # A server without ranges sends the whole: what was not asked for is passed over.
        passed = offset if answer.status_code == 200 else 0
        return io.BufferedReader(_Body(self, path, answer, passed, length), _CHUNK)

    def size(self, path: str) -> int | None:
        """Return the size of a file in bytes, None if it does not exist."""
        found = self._resource(path)
        return None if found is None or found.folder else found.size

    def modified(self, path: str) -> datetime | None:
        """Return the modification time by the store's clock, None if unknown."""
        found = self._resource(path)
        return found.modified if found is not None else None

    def sha256(self, path: str) -> str | None:
        """Return the SHA-256 that the store computes, None if it cannot."""
        return None

    def free(self) -> int | None:
        """Return the free bytes, None if unknown."""
        found = self._resource("")
        return found.free if found is not None else None

    # Writing -----------------------------------------------------------------

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        """Store a local file, completely or not at all."""
        partial, size = path + ".part", local.stat().st_size
        self._folders.above(path)
        try:
            if size > chunk_size.LEAST and self._can_take_chunks():
                self._put_chunks(local, size, path, on_bytes)
            else:
                with local.open("rb") as source:
                    self._put_stream(partial, source, size, on_bytes)
            if self.size(partial) != size:
                raise UnreachableError(f"Not all bytes of {path} arrived.", "It is sent again.")
            self._move(partial, path)
        except ConnectionLostError:
            raise
        except FasciculusError:
            self._arrived.pop(path, None)
            with suppress(FasciculusError):
                self.remove(partial)
            raise
        self._arrived.pop(path, None)

    def put_bytes(self, data: bytes, path: str) -> None:
        """Store a few bytes as a file."""
        self._folders.above(path)
        self._ask("PUT", path + ".part", (200, 201, 204), content=data)
        self._move(path + ".part", path)

    def _put_stream(
        self, path: str, source: BinaryIO, size: int, on_bytes: Callable[[int], None], **more: str
    ) -> None:
        def chunks() -> Iterator[bytes]:
            left = size
            while left and (chunk := source.read(min(_CHUNK, left))):
                left -= len(chunk)
                yield chunk
                on_bytes(len(chunk))

        # Digest signs in by being refused once: asked beforehand, nothing is sent twice.
        if isinstance(self._auth, httpx.DigestAuth):
            self._ask("OPTIONS", path, (200, 204, 404))
        self._ask(
            "PUT",
            path,
            (200, 201, 204),
            content=chunks(),
            headers={"Content-Length": str(size), **more},
        )

    def _put_chunks(
        self, local: Path, size: int, path: str, on_bytes: Callable[[int], None]
    ) -> None:
        with local.open("rb") as source:
            at = begin = self._arrived.setdefault(path, 0)
            while at < size:
                source.seek(at)
                count = min(chunk_size.chunk_size(at - begin), size - at)
                more = {"Content-Range": f"bytes {at}-{at + count - 1}/{size}"} if at else {}
                self._put_stream(path + ".part", source, count, on_bytes, **more)
                at = self._arrived[path] = at + count

    def _can_take_chunks(self) -> bool:
        """Return whether a PUT with Content-Range writes into a file (RFC 9110, section 14.5).

        Servers may refuse it, and some take the part for the whole: it is tried on a small file.
        """
        if self._takes_chunks is None:
            probe = ".fasciculus-chunks"
            try:
                self._ask("PUT", probe, (200, 201, 204), content=b"one")
                headers = {"Content-Range": "bytes 3-5/6"}
                self._ask("PUT", probe, (200, 201, 204), content=b"two", headers=headers)
                self._takes_chunks = self._ask("GET", probe, (200,)).content == b"onetwo"
            except ConnectionLostError:
                raise
            except FasciculusError:
                self._takes_chunks = False
            with suppress(FasciculusError):
                self.remove(probe)
        return self._takes_chunks

    def arrived(self, path: str) -> int:
        """Return the bytes of an interrupted upload that need not be sent again."""
        return self._arrived.get(path, 0)

    def clear_partial(self, folder: str) -> None:
        """Nothing is left that :meth:`items` does not show."""

    def _make_folder(self, folder: str) -> None:
        # 405: it is there already. nginx insists on the slash.
        self._ask("MKCOL", f"{folder}/", (201, 200, 405))

    def rename(self, path: str, to: str) -> None:
        """Rename a file in its folder, replacing any file of that name."""
        self._move(path, to)

    def _move(self, path: str, to: str) -> None:
        headers = {"Destination": self._address(to), "Overwrite": "T"}
        self._ask("MOVE", path, (200, 201, 204), headers=headers)

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""
        self._ask("DELETE", path, (200, 204, 404))

    def remove_folder(self, folder: str) -> None:
        """Remove an empty folder; harmless if it does not exist."""
        self._folders.forget(folder)
        # DELETE takes all that is in it along, so it must be seen to be empty.
        if not self.items(folder):
            self._ask("DELETE", f"{folder}/", (200, 204, 404))

    def replaces_at_once(self) -> bool:
        """Return whether replacing a file is atomic."""
        # RFC 4918, section 9.9.3: MOVE first removes what it replaces.
        return False


class _Body(io.RawIOBase):
    """The body of an answer; what ends early is a lost connection."""

    def __init__(
        self,
        store: WebDavStore,
        path: str,
        answer: httpx.Response,
        passed: int,
        length: int | None,
    ) -> None:
        self._store, self._path, self._answer = store, path, answer
        self._passed, self._left = passed, length
        self._chunks = answer.iter_bytes(_CHUNK)
        self._rest = b""

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        while self._left != 0:
            if not self._rest:
                with self._store._said(self._path):
                    self._rest = next(self._chunks, b"")
                if not self._rest:
                    return 0
            if self._passed:
                gone = min(self._passed, len(self._rest))
                self._rest, self._passed = self._rest[gone:], self._passed - gone
                continue
            count = min(len(buffer), len(self._rest))
            count = count if self._left is None else min(count, self._left)
            buffer[:count] = self._rest[:count]
            self._rest = self._rest[count:]
            if self._left is not None:
                self._left -= count
            return count
        return 0

    def close(self) -> None:
        if not self.closed:
            with suppress(httpx.HTTPError):
                self._answer.close()
        super().close()


KIND = StoreKind(
    "webdav", "A folder on a WebDAV server", WebDavSettings, WebDavSecrets, open_webdav
)
