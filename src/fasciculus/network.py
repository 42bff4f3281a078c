"""The first steps to any server: its name resolves, it answers, it is the right one."""

from __future__ import annotations

import socket
import ssl

from .core.errors import ConnectionLostError, UnreachableError
from .core.formatting import format_list

_SHOWN = 3


def resolved(address: str) -> str:
    """Return what a server's name resolves to, in words. Raises ``ConnectionLostError``."""
    try:
        rows = socket.getaddrinfo(address, None, type=socket.SOCK_STREAM)
    except (socket.gaierror, UnicodeError) as error:
        raise ConnectionLostError(
            f"The name {address} does not resolve.", "Correct the address."
        ) from error
    found = list(dict.fromkeys(str(row[4][0]) for row in rows))
    return f"{address} is {format_list(found[:_SHOWN])}."


def reach(address: str, port: int, timeout: float) -> socket.socket:
    """Return a connection to a server. Raises ``ConnectionLostError`` saying what is wrong."""
    try:
        link = socket.create_connection((address, port), timeout=timeout)
        # Questions and answers are small: each would wait for an acknowledgement, 40 ms long.
        link.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        return link
    except (socket.gaierror, UnicodeError) as error:
        raise ConnectionLostError(
            f"The name {address} does not resolve.", "Correct the address."
        ) from error
    except OSError as error:
        raise ConnectionLostError(
            f"Nothing answers at {address}, port {port} ({error.strerror or error}).",
            "Is the server running, the port right, the firewall open?",
        ) from error


def tls_context(certificate: str) -> ssl.SSLContext:
    """Return what checks a server's certificate: known authorities, or the one that was accepted.

    Raises ``UnreachableError`` for a certificate that cannot be read.
    """
    context = ssl.create_default_context()
    if certificate.strip():
        try:
            context.load_verify_locations(cadata=certificate)
        except (ssl.SSLError, ValueError) as error:
            raise UnreachableError(
                "The accepted certificate cannot be read.",
                "Paste it in PEM form, from BEGIN CERTIFICATE to END CERTIFICATE.",
                field="certificate",
            ) from error
    return context


def untrusted(where: str, error: ssl.SSLCertVerificationError) -> UnreachableError:
    """Return what to say of a certificate that does not prove whose server it is."""
    return UnreachableError(
        f"The certificate of {where} does not prove that it is the right server: "
        f"{error.verify_message}.",
        "Correct the address, or accept its certificate in the settings once you have compared "
        "it with what its administrator tells you.",
        field="certificate",
    )


def root_of(error: BaseException) -> BaseException:
    """Return what an error of an HTTP client began with; each package hands its cause on in its
    way.
    """
    for _ in range(20):
        inner = error.__cause__ or error.__context__ or getattr(error, "reason", None)
        inner = inner or next((a for a in error.args if isinstance(a, BaseException)), None)
        kwargs = getattr(error, "kwargs", {})
        inner = inner or (kwargs.get("error") if isinstance(kwargs, dict) else None)
        if not isinstance(inner, BaseException):
            return error
        error = inner
    return error
