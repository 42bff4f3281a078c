"""The settings of the mail server for reports, as the records have them."""

from __future__ import annotations

import socket
import sqlite3

from ...core.errors import SettingError
from ...fields import check_addresses
from ...models import MailServer
from ...records import settings
from ...records.forget_secrets import MAIL
from ...records.messages import channels
from ...records.secret_cipher import SecretCipher, merged


def mail_server(db: sqlite3.Connection, cipher: SecretCipher) -> MailServer:
    """Return the mail server's settings, without its password."""
    row = settings.get(db, MAIL, {})
    sealed = row.pop("sealed", None)
    found = MailServer(**row)
    found.password_set = bool(cipher.decrypt(sealed))
    return found


def check_mail_server(new: MailServer) -> None:
    """Raise ``SettingError`` for settings by which no report could be sent."""
    if new.address and not new.sender:
        raise SettingError(
            "The sender's address is missing.",
            "Give the address reports come from.",
            field="sender",
        )
    check_addresses([new.sender], "sender")


def save_mail_server(db: sqlite3.Connection, cipher: SecretCipher, new: MailServer) -> None:
    """Save the mail server; without a password, the saved one stays.

    Raises ``SettingError`` for an unknown fallback channel.
    """
    if new.fallback_channel:
        channels.check_known(db, [new.fallback_channel], "fallback_channel")
    old = settings.get(db, MAIL, {})
    secrets = merged(cipher.decrypt(old.get("sealed")), {"password": new.password})
    row = new.model_dump(exclude={"password", "password_set"})
    settings.put(db, MAIL, {**row, "sealed": cipher.encrypt(secrets)})


def mail_password(db: sqlite3.Connection, cipher: SecretCipher) -> str:
    """Return the password for the mail server, empty without one."""
    return cipher.decrypt(settings.get(db, MAIL, {}).get("sealed")).get("password", "")


def sender_of(db: sqlite3.Connection) -> str:
    """Return the address that reports come from."""
    return settings.get(db, MAIL, {}).get("sender") or f"fasciculus@{socket.getfqdn()}"
