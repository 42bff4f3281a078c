"""Restores to another place, and the proposals for them."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field, field_validator

from ..model import Model
from ..texts import Below, Name, Pattern, checked, host_name


class Relocation(Model):
    """Another place for a restore: ``account``, and a folder below its home.

    The entries in ``from_folder`` of the bundle are restored to ``to_folder``. ``texts`` are
    exchanged in databases, links and the configuration files that the patterns ``files`` name;
    ``names`` only in these files. ``user_names`` has new names for users of databases; all others
    get another prefix and ``user_suffix``. With ``beside`` it is a copy next to the original, for
    ``address``, that is removed again with ``restores remove``; nothing may exist there.
    """

    account: Name
    from_folder: Below = ""
    to_folder: Below = ""
    beside: bool = False
    address: Annotated[str, checked(host_name)] = ""
    site: str = ""
    texts: dict[str, str] = Field(default={}, max_length=100)
    names: dict[str, str] = Field(default={}, max_length=100)
    files: list[Pattern] = Field(default=[], max_length=100)
    user_names: dict[str, str] = Field(default={}, max_length=100)
    user_prefix: tuple[str, str] = ("", "")
    user_suffix: str = Field(default="", max_length=20, pattern="^[A-Za-z0-9_]*$")

    @field_validator("texts", "names", "user_names")
    @classmethod
    def _not_empty(cls, value: dict[str, str]) -> dict[str, str]:
        for old, new in value.items():
            if len(old) < 2 or not new or len(old) > 1000 or len(new) > 1000:
                raise ValueError(f"“{old}” cannot be exchanged for “{new}”: write OLD=NEW.")
        return value


class RelocationAsk(Model):
    """A question for a proposal: a copy of ``site`` beside it under ``address``, or ``account`` as
    the new place of a whole bundle, with ``address`` for ``site`` if that changes too.
    """

    bundle: int
    account: str = ""
    site: str = ""
    address: Annotated[str, checked(host_name)] = ""


class RelocationProposal(Model):
    """A proposed place, with the new names of databases and owners by the former ones."""

    relocation: Relocation
    databases: dict[str, str] = {}
    owners: dict[str, str] = {}
