"""Composing messages and handing them to the mail server (RFC 5321, RFC 5322)."""

from __future__ import annotations

import smtplib
import socket
import sqlite3
import ssl
from collections.abc import Sequence
from email.message import EmailMessage
from email.policy import SMTP
from email.utils import format_datetime, localtime, make_msgid

from ...core.errors import ConnectionLostError, SettingError, UnreachableError
from ...models import MailServer
from ...records import settings
from ...records.encryption import SecretCipher, merged
from ...records.secrets import MAIL
from .attachments import Attachment

_TIMEOUT = 20.0


def server(db: sqlite3.Connection, cipher: SecretCipher) -> MailServer:
    """The mail server's settings, without its password."""
    row = settings.get(db, MAIL, {})
    sealed = row.pop("sealed", None)
    found = MailServer(**row)
    found.password_set = bool(cipher.decrypt(sealed))
    return found


def save_server(db: sqlite3.Connection, cipher: SecretCipher, new: MailServer) -> None:
    old = settings.get(db, MAIL, {})
    secrets = merged(cipher.decrypt(old.get("sealed")), {"password": new.password})
    row = new.model_dump(exclude={"password", "password_set"})
    settings.put(db, MAIL, {**row, "sealed": cipher.encrypt(secrets)})


def password(db: sqlite3.Connection, cipher: SecretCipher) -> str:
    return cipher.decrypt(settings.get(db, MAIL, {}).get("sealed")).get("password", "")


def sender_of(db: sqlite3.Connection) -> str:
    return settings.get(db, MAIL, {}).get("sender") or f"fasciculus@{socket.getfqdn()}"


def compose(
    sender: str,
    recipients: list[str],
    title: str,
    text: str,
    html: str,
    log: str | None = None,
    log_name: str = "run.log",
    attached: Sequence[Attachment] = (),
) -> bytes:
    """A message with text and HTML, the log attached where there is one, and files."""
    message = EmailMessage(policy=SMTP)
    message["From"] = f"Fasciculus <{sender}>"
    message["To"] = ", ".join(recipients)
    message["Subject"] = title
    message["Date"] = format_datetime(localtime())
    message["Message-ID"] = make_msgid("fasciculus", sender.rpartition("@")[2])
    message["Auto-Submitted"] = "auto-generated"
    message.set_content(text)
    message.add_alternative(html, subtype="html")
    if log is not None:
        message.add_attachment(log.encode("utf-8", "replace"), "text", "plain", filename=log_name)
    for file in attached:
        message.add_attachment(file.data, "application", "octet-stream", filename=file.name)
    return message.as_bytes()


def send(
    config: MailServer, secret: str, sender: str, recipients: list[str], message: bytes
) -> None:
    """Hand a message over; ``UnreachableError`` says in one sentence why it was not taken."""
    if not config.address:
        raise SettingError("No mail server is set.", "Set one under Settings.", field="address")
    where = f"{config.address}, port {config.port}"
    try:
        context = ssl.create_default_context()
        link: smtplib.SMTP
        if config.security == "tls":
            link = smtplib.SMTP_SSL(config.address, config.port, timeout=_TIMEOUT, context=context)
        else:
            link = smtplib.SMTP(config.address, config.port, timeout=_TIMEOUT)
        with link:
            if config.security == "starttls":
                link.starttls(context=context)
            if config.user:
                link.login(config.user, secret)
            link.sendmail(sender, recipients, message)
    except smtplib.SMTPAuthenticationError as error:
        raise UnreachableError(
            f"The mail server at {where} refused the sign-in.",
            "Correct the user and password under Settings.",
        ) from error
    except smtplib.SMTPRecipientsRefused as error:
        raise UnreachableError(
            f"The mail server at {where} refused {', '.join(error.recipients)}.",
            "Correct the report addresses of the job.",
        ) from error
    except smtplib.SMTPNotSupportedError as error:
        raise UnreachableError(
            f"The mail server at {where} does not offer what is set: {error}.",
            "Choose another security or leave the user empty.",
        ) from error
    except ssl.SSLCertVerificationError as error:
        raise UnreachableError(
            f"The mail server at {where} could not prove who it is: {error.reason}.",
            "Check its certificate and the address.",
        ) from error
    except ssl.SSLError as error:
        raise UnreachableError(
            f"The mail server at {where} does not speak TLS there ({error.reason}).",
            "Choose another security or another port.",
        ) from error
    except (smtplib.SMTPException, OSError) as error:
        raise ConnectionLostError(
            f"The mail server at {where} did not take the message: {error}.",
            "Is it running, and the port right?",
        ) from error
