"""Texts that several models have, each with its check.

A check is imported when a text is checked: a command reads answers of the service, which has
checked them, and need not wait for what it does not use.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Annotated, Any, Final

from pydantic import AfterValidator, ValidationInfo

from ..core.errors import SettingError
from ..fields import absolute_folder

#: The context in which the client validates what the service answers.
ANSWERED: Final[Mapping[str, bool]] = {"answered": True}


def is_answer(info: ValidationInfo) -> bool:
    """Return whether the values come from an answer of the service, which has checked them."""
    return info.context is ANSWERED


def checked(check: Callable[[Any], Any]) -> AfterValidator:
    """Return the validator of a value that is sent; ``check`` raises ``ValueError`` or
    ``SettingError``.
    """

    def run(value: Any, info: ValidationInfo) -> Any:
        if is_answer(info):
            return value
        try:
            return check(value)
        except SettingError as error:
            raise ValueError(error.sentence()) from error

    return AfterValidator(run)


def _named(value: str) -> str:
    from ..core.bundle.layout import check_name

    return check_name(value.strip())


def absolute_or_empty(value: str) -> str:
    """Return an absolute path, or nothing where nothing was given."""
    return absolute_folder(value) if value.strip() else ""


def _relative(value: str) -> str:
    value = value.strip()
    if value.startswith("/") or ".." in value.split("/"):
        raise ValueError("Write the path below the account's home, without “..”.")
    return value.rstrip("/")


def _place(value: str) -> str:
    from ..core.discovery.accounts import rule_pattern

    rule_pattern(value.strip())
    return value.strip()


def _pattern(value: str) -> str:
    from ..core.file_filters import check_pattern

    return check_pattern(value)


def web_place(value: str) -> str:
    """Return an address with a port, or nothing."""
    text = value.strip()
    if text and not re.fullmatch(r"(?:[A-Za-z0-9.-]+|\[[0-9A-Fa-f:]+\]):\d{1,5}", text):
        raise ValueError("write an address and a port, such as 192.0.2.7:80")
    return text


def host_name(value: str) -> str:
    """Return the name of a host or site (RFC 1123), in lower case, or nothing."""
    text = value.strip().rstrip(".").lower()
    part = r"(?!-)[a-z0-9-]{1,63}(?<!-)"
    if text and not (re.fullmatch(rf"{part}(?:\.{part})*", text) and len(text) <= 253):
        raise ValueError(f"“{value}” is not the name of a site; write for example try.example.")
    return text


def host_name_pattern(value: str) -> str:
    """Return the name of a site in which ``{account}`` stands for the account's name."""
    mark = "{account}"
    host_name(value.replace(mark, "x"))
    return value.strip().rstrip(".")


def stored_path(value: str) -> str:
    """Return the path of a bundle's file on a store; ``ValueError`` when it is none."""
    from ..core.bundle.layout import is_bundle_file

    if not is_bundle_file(value):
        raise ValueError(f"“{value}” is not a file of a bundle.")
    return value


def mail_address(value: str) -> str:
    """Return an e-mail address; ``ValueError`` when it is none."""
    value = value.strip()
    local, at, domain = value.rpartition("@")
    if not (at and local and domain) or any(c.isspace() or c in ',;<>"' for c in value):
        raise ValueError(f"“{value}” is not an e-mail address.")
    return value


def mail_address_or_empty(value: str) -> str:
    """Return the same, where none at all is fine."""
    return mail_address(value) if value.strip() else ""


def _selector(value: str) -> str:
    from ..core.selection import check_selector

    return check_selector(value)


def _queue(value: str) -> str:
    text = value.strip()
    if not re.fullmatch(r"[a-z0-9][a-z0-9-]{0,30}", text):
        raise ValueError("Write small letters, digits and hyphens, such as “north”.")
    return text


Name = Annotated[str, checked(_named)]
#: The name of a queue of workers; the second may be empty.
NamedQueue = Annotated[str, checked(_queue)]
QueueName = Annotated[str, checked(lambda value: _queue(value) if value.strip() else "")]
Selector = Annotated[str, checked(_selector)]
Place = Annotated[str, checked(_place)]
Pattern = Annotated[str, checked(_pattern)]
AbsolutePath = Annotated[str, checked(absolute_folder)]
OptionalPath = Annotated[str, checked(absolute_or_empty)]
Below = Annotated[str, checked(_relative)]
