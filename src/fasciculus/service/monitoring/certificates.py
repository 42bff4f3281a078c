"""Looks, once a day, when the certificates end that stores and the mail server show."""

from __future__ import annotations

import ftplib
import logging
import smtplib
import socket
import ssl
from datetime import UTC, datetime, timedelta

from cryptography import x509

from ...core.errors import FasciculusError
from ...models import MailServer, Store
from ...records import settings
from ...records.db import Records, stamp
from ...records.messages import certificates
from ...records.paging import PageRequest
from ...records.secret_cipher import SecretCipher
from ...records.stores import stores
from ...stores import KINDS
from ...stores.base import StoreSettings, TlsAddress
from .. import outside
from ..settings.mail_settings import mail_server

log = logging.getLogger(__name__)

_KEY = "certificates.looked"
_EVERY = timedelta(days=1)
_TIMEOUT = 10.0
_ALL = PageRequest(limit=10_000)


def look_if_due(records: Records, cipher: SecretCipher) -> None:
    """Note the ends of all certificates, unless that was done lately."""
    db, now = records.reader, datetime.now(UTC)
    last = settings.get(db, _KEY)
    if last and timedelta(0) <= now - datetime.fromisoformat(last) < _EVERY:
        return
    places = {
        f"store {store.name}": address
        for store in stores.stores(db, cipher, _ALL).items
        if (address := _store_address(store)) is not None
    }
    if (server := _mail_address(mail_server(db, cipher))) is not None:
        places["the mail server"] = server
    found: dict[str, datetime] = {}
    for place, address in places.items():
        try:
            found[place] = outside.call(end_of, address)
        except (FasciculusError, OSError, ValueError) as error:
            # Whether it can be reached is for others to say.
            log.info("%s showed no certificate: %s", place, error)
    with records.write() as writer:
        certificates.forget_others(writer, places)
        for place, end in found.items():
            certificates.seen(writer, place, end)
        settings.put(writer, _KEY, stamp(now))


def _store_address(store: Store) -> TlsAddress | None:
    settings = KINDS.parse(store.settings.model_dump())
    return settings.tls_address() if isinstance(settings, StoreSettings) else None


def _mail_address(server: MailServer) -> TlsAddress | None:
    if not server.address or server.security == "none":
        return None
    begins = "smtp" if server.security == "starttls" else ""
    return TlsAddress(server.address, server.port, begins)


def end_of(address: TlsAddress) -> datetime:
    """Return the expiry of a server's certificate, whoever signed it."""
    context = ssl.create_default_context()
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE
    place = (address.host, address.port)
    if address.begins == "smtp":
        with smtplib.SMTP(*place, timeout=_TIMEOUT) as link:
            link.starttls(context=context)
            return _end(link.sock)
    if address.begins == "ftp":
        with ftplib.FTP_TLS(timeout=_TIMEOUT, context=context) as files:
            files.connect(*place)
            files.auth()
            return _end(files.sock)
    with (
        socket.create_connection(place, _TIMEOUT) as plain,
        context.wrap_socket(plain, server_hostname=address.host) as link_socket,
    ):
        return _end(link_socket)


def _end(link: socket.socket | None) -> datetime:
    data = link.getpeercert(binary_form=True) if isinstance(link, ssl.SSLSocket) else None
    if not data:
        raise ValueError("it showed none")
    return x509.load_der_x509_certificate(data).not_valid_after_utc
