"""Handing messages to a mail server (RFC 5321)."""

from __future__ import annotations

import smtplib
import ssl
from collections.abc import Mapping, Sequence

from ..core.errors import ConnectionLostError, RefusedError, SettingError, UnreachableError
from ..fields import deliverable_address
from ..models import MailServer

#: Seconds that a server may take to answer.
TIMEOUT = 20.0
_LONGEST_REPLY = 200


def send(
    config: MailServer, secret: str, sender: str, recipients: list[str], message: bytes
) -> dict[str, str]:
    """Hand a message over. Gives the addresses that the server has refused while it took the
    message for the others, and what it said.

    Raises ``RefusedError`` when it took the message for nobody, ``SettingError`` without a server,
    and another ``UnreachableError`` for what would be the same with all messages; each says in one
    sentence why.
    """
    if not config.address:
        raise SettingError("No mail server is set.", "Set one under Settings.", field="address")
    where = f"{config.address}, port {config.port}"
    known, odd = _addresses(recipients)
    if not known:
        raise RefusedError(*refusal(odd))
    is_connected = False
    try:
        context = None if config.security == "none" else ssl.create_default_context()
        link: smtplib.SMTP
        if config.security == "tls":
            link = smtplib.SMTP_SSL(config.address, config.port, timeout=TIMEOUT, context=context)
        else:
            link = smtplib.SMTP(config.address, config.port, timeout=TIMEOUT)
        is_connected = True
        with link:
            if config.security == "starttls":
                link.starttls(context=context)
            if config.user:
                link.login(config.user, secret)
            refused = link.sendmail(deliverable_address(sender), list(known), message)
    except smtplib.SMTPAuthenticationError as error:
        raise UnreachableError(
            f"The mail server at {where} refused the sign-in.",
            "Correct the user and password under Settings.",
        ) from error
    except smtplib.SMTPRecipientsRefused as error:
        said = {known.get(to, to): _words(*reply) for to, reply in error.recipients.items()}
        said |= odd
        raise RefusedError(*refusal(said)) from error
    except (smtplib.SMTPSenderRefused, smtplib.SMTPDataError) as error:
        # A server that says how large a message may be refuses a larger one with the sender.
        raise RefusedError(
            f"The mail server at {where} refused this message: "
            f"{_words(error.smtp_code, error.smtp_error)}.",
            "Correct the sender under Settings, or attach less to the reports of the job.",
        ) from error
    except smtplib.SMTPNotSupportedError as error:
        raise UnreachableError(
            f"The mail server at {where} does not offer what is set: {str(error).rstrip('.')}.",
            "Choose another security, or leave the user empty.",
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
    except UnicodeError as error:
        raise UnreachableError(
            f"The mail server at {where} cannot be used with these settings: its name, the user or "
            "the password has letters that mail servers do not take.",
            "Correct them under Settings.",
        ) from error
    except OSError as error:
        if is_connected or isinstance(error, smtplib.SMTPException):
            raise _not_taken(where, error) from error
        raise ConnectionLostError(
            f"The mail server at {where} cannot be reached: {_reason(error).rstrip('.')}.",
            "Are its name and port right, and is it running?",
        ) from error
    said = {known[address]: _words(*reply) for address, reply in refused.items()}
    return {**odd, **said}


def _not_taken(where: str, error: OSError) -> ConnectionLostError:
    return ConnectionLostError(
        f"The mail server at {where} did not take the message: {_reason(error).rstrip('.')}.",
        "It is tried again.",
    )


def _addresses(recipients: Sequence[str]) -> tuple[dict[str, str], dict[str, str]]:
    """Return the addresses as they go to a server, each with what a person wrote; and those that
    cannot be sent to, with the reason."""
    known, odd = {}, {}
    for recipient in recipients:
        try:
            known[deliverable_address(recipient)] = recipient
        except SettingError as error:
            odd[recipient] = error.message
    return known, odd


def refusal(refused: Mapping[str, str]) -> tuple[str, str]:
    """Return an error with a hint, if a server refused some addresses."""
    said = "; ".join(f"{address} ({words})" for address, words in refused.items())
    return f"The mail server refused {said}.", "Correct the report addresses of the job."


def _reason(error: OSError) -> str:
    """Why a server could not be used, without numbers that nobody knows by heart."""
    if isinstance(error, smtplib.SMTPResponseException):
        return _words(error.smtp_code, error.smtp_error)
    return error.strerror or str(error) or type(error).__name__


def _words(code: int, reply: bytes | str) -> str:
    """Return a server's answer in one line."""
    text = reply.decode("utf-8", "replace") if isinstance(reply, bytes) else reply
    return f"{code} {' '.join(text.split())[:_LONGEST_REPLY]}".strip()
