"""A personal cloud drive over WebDAV, which its owner gives access to in a browser.

Access is asked for by the device authorisation of OAuth 2.0 (RFC 8628), for one folder where the
drive has a scope for that, and renewed with a refresh token (RFC 6749, section 6).
"""

from __future__ import annotations

import time
import warnings
from collections.abc import Generator, Iterator
from contextlib import contextmanager
from functools import partial
from typing import Any, Literal

import httpx
from authlib.common.errors import AuthlibBaseError as OAuthError
from pydantic import Field, field_validator

from ..core.errors import ConnectionLostError, UnreachableError
from ..kinds import Secrets
from .access import DeviceRequest, Tokens
from .base import AccessFlow, StoreKind, StoreSettings, StoreSpec, TlsAddress, https_address
from .webdav import WebDavStore, web_address

_GRANT = "urn:ietf:params:oauth:grant-type:device_code"
_TIMEOUT = 30.0
#: A token that ends this soon, in seconds, is exchanged before it is used.
_SPARE = 60


class DriveSettings(StoreSettings):
    """A folder on a drive, and where access to it is asked for."""

    kind: Literal["drive"] = "drive"
    url: str = Field(
        min_length=1,
        title="Address of the folder",
        description="Its WebDAV address; the drive's help names it.",
        examples=["https://drive.sedge-quill.example/dav/bundles"],
    )
    device_url: str = Field(
        min_length=1,
        title="Address for device authorisation",
        description="The authorization address, from the drive's developer documentation.",
        examples=["https://drive.sedge-quill.example/oauth/device"],
    )
    token_url: str = Field(
        min_length=1,
        title="Address for tokens",
        examples=["https://drive.sedge-quill.example/oauth/token"],
    )
    client_id: str = Field(
        min_length=1,
        title="Client id",
        description="Made where the drive registers programs (“apps”).",
    )
    scope: str = Field(
        default="",
        title="Scope",
        description="The requested scope: the narrowest that can read and write this folder.",
        examples=["files:bundles"],
    )

    @field_validator("url", "device_url", "token_url")
    @classmethod
    def _url(cls, value: str) -> str:
        return web_address(value)

    def tls_address(self) -> TlsAddress | None:
        """Return the address that presents a certificate, None without TLS."""
        return https_address(self.url)

    def unprotected(self) -> str:
        """Return what is readable in transit, empty if nothing."""
        addresses = (self.url, self.device_url, self.token_url)
        return "tokens and files" if any(a.startswith("http:") for a in addresses) else ""

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        return f"drive {self.url.partition('://')[2]}"


class DriveSecrets(Secrets):
    """The secret of the client, where it has one. Access itself is never typed in."""

    client_secret: str | None = Field(
        default=None, repr=False, title="Client secret", description="Empty if there is none."
    )


def request_access(spec: StoreSpec) -> DeviceRequest:
    """Begin to ask for access. Raises ``UnreachableError``."""
    settings = _settings(spec)
    values = {"client_id": settings.client_id, "scope": settings.scope}
    if secret := spec.secrets.get("client_secret"):
        values["client_secret"] = secret
    with _answering(settings.device_url):
        reply = httpx.post(settings.device_url, data=values, timeout=_TIMEOUT, trust_env=False)
        answer = reply.json()
    try:
        return DeviceRequest(
            web_address(str(answer["verification_uri"])),
            str(answer["user_code"])[:80],
            str(answer["device_code"]),
            max(1, int(answer.get("interval", 5))),
            int(answer["expires_in"]),
        )
    except (KeyError, ValueError, TypeError) as error:
        raise UnreachableError(
            f"{settings.device_url} does not answer as RFC 8628 says.",
            "Correct the address for device authorisation.",
            field="device_url",
        ) from error


def fetch_tokens(spec: StoreSpec, request: DeviceRequest) -> Tokens | None:
    """Return the tokens, once the owner has agreed; None while that is open.

    Raises ``UnreachableError`` when it was refused or took too long.
    """
    url = _settings(spec).token_url
    try:
        with _oauth(spec) as client, _answering(url):
            answer = client.fetch_token(url, grant_type=_GRANT, device_code=request.device_code)
    except OAuthError as error:
        if error.error in ("authorization_pending", "slow_down"):
            return None
        said = {"access_denied": "It was refused.", "expired_token": "The code has run out."}
        raise UnreachableError(
            f"The drive gives no access: {said.get(error.error, str(error.error)[:100])}",
            "Connect the store again.",
        ) from error
    return _tokens(answer, "")


def refreshed(spec: StoreSpec, refresh_token: str) -> Tokens:
    """Return new tokens for a refresh token. Raises ``UnreachableError`` if access has ended."""
    if not refresh_token:
        raise _not_connected(spec)
    url = _settings(spec).token_url
    try:
        with _oauth(spec) as client, _answering(url):
            answer = client.refresh_token(url, refresh_token=refresh_token)
    except OAuthError as error:
        raise _not_connected(spec) from error
    return _tokens(answer, refresh_token)


def _not_connected(spec: StoreSpec) -> UnreachableError:
    return UnreachableError(
        f"Store “{spec.name}” has no access to its drive, or no more.",
        "Connect it: its owner confirms that once in a browser.",
    )


def _tokens(answer: dict[str, Any], refresh_token: str) -> Tokens:
    try:
        return Tokens(
            str(answer["access_token"]),
            str(answer.get("refresh_token") or refresh_token),
            time.time() + int(answer.get("expires_in", 3600)),
        )
    except (KeyError, ValueError, TypeError) as error:
        raise UnreachableError(
            "The drive's answer holds no token.", "Correct the address for tokens."
        ) from error


def _settings(spec: StoreSpec) -> DriveSettings:
    assert isinstance(spec.settings, DriveSettings)
    return spec.settings


def _oauth(spec: StoreSpec) -> Any:
    # Imported late: it is needed once an hour at most. It warns of what httpx will be called.
    with warnings.catch_warnings(record=True):
        from authlib.integrations.httpx_client import OAuth2Client

    secret = spec.secrets.get("client_secret") or None
    return OAuth2Client(
        _settings(spec).client_id,
        secret,
        token_endpoint_auth_method="client_secret_post" if secret else "none",
        timeout=_TIMEOUT,
        trust_env=False,
    )


@contextmanager
def _answering(url: str) -> Iterator[None]:
    try:
        yield
    except httpx.HTTPError as error:
        raise ConnectionLostError(
            f"{url} does not answer.", "Correct the address, or try again later."
        ) from error
    except ValueError as error:
        raise UnreachableError(
            f"{url} does not answer as OAuth 2.0 says.", "Correct the address."
        ) from error


class DriveAuth(httpx.Auth):
    """Sends the access token, and exchanges it before it ends or when it is refused."""

    def __init__(self, spec: StoreSpec) -> None:
        self._spec = spec

    def auth_flow(self, request: httpx.Request) -> Generator[httpx.Request, httpx.Response, None]:
        """Add the token to a request."""
        file = self._spec.tokens
        tokens = file.load() if file is not None else None
        if file is None or tokens is None:
            raise _not_connected(self._spec)
        renew = partial(refreshed, self._spec)
        if tokens.expires_at < time.time() + _SPARE:
            tokens = file.renewed(tokens, renew)
        request.headers["Authorization"] = f"Bearer {tokens.access}"
        answer = yield request
        # What was sent as a stream cannot be sent again; the next request is right.
        if answer.status_code == 401:
            tokens = file.renewed(tokens, renew)
            if not isinstance(request.stream, httpx.ByteStream):
                raise ConnectionLostError("The access token ended in the middle.")
            request.headers["Authorization"] = f"Bearer {tokens.access}"
            yield request


def open_drive(spec: StoreSpec) -> WebDavStore:
    """Return a drive as a store; not connected yet."""
    return WebDavStore(spec, _settings(spec).url, DriveAuth(spec))


KIND = StoreKind(
    "drive",
    "A personal cloud drive",
    DriveSettings,
    DriveSecrets,
    open_drive,
    AccessFlow(request_access, fetch_tokens),
)
