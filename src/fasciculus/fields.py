"""Checks of single values that several rooms share; each raises ``ValueError`` with a sentence."""

from __future__ import annotations

import re
from collections.abc import Iterable
from typing import Any

from pydantic import Field

from .core.errors import SettingError

#: A name of a host (labels of at most 63 letters, RFC 1035) or an address, and a port.
_HOST = re.compile(
    r"(?:[^/@]*@)?(?:(?=[^/:?#]{1,253}(?:[/:?#]|$))[^\s./:?#]{1,63}(?:\.[^\s./:?#]{1,63})*\.?|\[[0-9a-fA-F:.]+\])"
    r"(?::[0-9]{1,5})?(?:[/?#]|$)"
)


def absolute_folder(value: str) -> str:
    """Return an absolute path without ``..`` that is not the root, without a slash at its end."""
    value = value.strip()
    if not value.startswith("/") or "/../" in value + "/" or value.rstrip("/") == "":
        raise ValueError("Enter an absolute path that starts with “/”, without “..”.")
    return value.rstrip("/")


def certificate_field() -> Any:
    """Return the setting for a server's certificate that no known authority has signed."""
    return Field(
        default="",
        title="Accepted certificate",
        description="In PEM form, where no known authority signed it. Leave it empty otherwise.",
        json_schema_extra={"multiline": True},
    )


def deliverable_address(value: str) -> str:
    """Return an e-mail address as mail servers take it: its domain in ASCII (RFC 5890).

    Raises :class:`SettingError` for what is no address (RFC 5321), or has letters beyond ASCII
    before its @, which most servers do not take.
    """
    from email_validator import SPECIAL_USE_DOMAIN_NAMES, EmailNotValidError, validate_email

    # Names such as localhost and those under .local are what mail servers at home are called.
    SPECIAL_USE_DOMAIN_NAMES.clear()
    try:
        found = validate_email(
            value, check_deliverability=False, allow_smtputf8=False, globally_deliverable=False
        )
    except EmailNotValidError as error:
        raise SettingError(
            f"“{value}” is not an e-mail address that mail can be sent to: {error}",
            "Write it as in duty@sedge-quill.example.",
        ) from error
    return found.ascii_email or found.normalized


def check_addresses(values: Iterable[str], field: str) -> None:
    """Raise :class:`SettingError` at a field for an address that no mail can be sent to."""
    for value in filter(None, values):
        try:
            deliverable_address(value)
        except SettingError as error:
            raise SettingError(error.message, error.hint, field=field) from error


def web_address(value: str) -> str:
    """Return an address of the web that can be called; a name and password in it are allowed."""
    value = value.strip()
    scheme, _, rest = value.partition("://")
    if (
        scheme not in ("http", "https")
        or any(c.isspace() or not c.isprintable() for c in value)
        or not _HOST.match(rest)
    ):
        raise ValueError("Write an address such as https://chat.sedge-quill.example/hooks/….")
    return value
