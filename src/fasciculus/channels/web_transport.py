"""HTTP to addresses that people chose, without reaching what only this machine can reach.

A webhook to a loopback or link-local address would let the person who sets it talk to services that
trust this machine. The name is looked up once, and the connection goes to the very address that was
checked.
"""

from __future__ import annotations

import ipaddress
import socket
from collections.abc import Iterable, Sequence

import httpcore
import httpx


class NotAllowedError(OSError):
    """The address is one of this machine or link, and no setting allows it."""


class CheckedTransport(httpx.BaseTransport):
    """A transport that connects to allowed addresses only, and knows no proxies."""

    def __init__(self, networks: Sequence[str], verify: bool) -> None:
        context = httpx.create_ssl_context() if verify else None
        self._pool = httpcore.ConnectionPool(
            ssl_context=context, network_backend=CheckedBackend(networks)
        )

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        """Send a request; errors are those of ``httpcore`` as ``httpx`` names them."""
        try:
            answer = self._pool.handle_request(
                httpcore.Request(
                    method=request.method,
                    url=httpcore.URL(
                        scheme=request.url.raw_scheme,
                        host=request.url.raw_host,
                        port=request.url.port,
                        target=request.url.raw_path,
                    ),
                    headers=request.headers.raw,
                    content=request.stream,
                    extensions=request.extensions,
                )
            )
        except (httpcore.TimeoutException, httpcore.NetworkError, httpcore.ProtocolError) as error:
            raise httpx.ConnectError(type(error).__name__) from error
        assert isinstance(answer.stream, Iterable)
        return httpx.Response(
            answer.status,
            headers=answer.headers,
            stream=_Stream(answer.stream),
            extensions=answer.extensions,
        )

    def close(self) -> None:
        """Close all connections."""
        self._pool.close()


class _Stream(httpx.SyncByteStream):
    def __init__(self, parts: Iterable[bytes]) -> None:
        self._parts = parts

    def __iter__(self):  # type: ignore[no-untyped-def]
        try:
            yield from self._parts
        except (httpcore.TimeoutException, httpcore.NetworkError, httpcore.ProtocolError) as error:
            raise httpx.ReadError(type(error).__name__) from error

    def close(self) -> None:
        if hasattr(self._parts, "close"):
            self._parts.close()


class CheckedBackend(httpcore.SyncBackend):
    """Connects to the first address of a name that may be reached."""

    def __init__(self, networks: Sequence[str]) -> None:
        self._networks = [ipaddress.ip_network(text, strict=False) for text in networks]

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[httpcore.SOCKET_OPTION] | None = None,
    ) -> httpcore.NetworkStream:
        """Look the name up, and connect to an address that was checked."""
        try:
            found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
        except (OSError, UnicodeError) as error:
            raise httpcore.ConnectError("its name cannot be resolved") from error
        allowed = [str(row[4][0]) for row in found if self._may(str(row[4][0]))]
        if not allowed:
            raise NotAllowedError(
                "Its address is of this machine or link, which webhooks may not reach. Allow the "
                "network with the setting webhook_networks."
            )
        return super().connect_tcp(allowed[0], port, timeout, local_address, socket_options)

    def _may(self, text: str) -> bool:
        address = ipaddress.ip_address(text.partition("%")[0])
        mapped = getattr(address, "ipv4_mapped", None)
        address = mapped or address
        if any(address in network for network in self._networks):
            return True
        return not (
            address.is_loopback
            or address.is_link_local
            or address.is_unspecified
            or address.is_multicast
        )
