"""Users, sessions and tokens."""

from __future__ import annotations

from datetime import datetime

from pydantic import Field

from .model import Model


class SignIn(Model):
    """A name and its password, to sign in."""

    name: str = Field(max_length=200)
    password: str = Field(repr=False, max_length=1000)


class Password(Model):
    """A change of one's own password."""

    old: str = Field(repr=False)
    new: str = Field(repr=False, min_length=10, max_length=200)
    end_tokens: bool = Field(default=False, description="remove all of your tokens as well")


class Identity(Model):
    """The signed-in user. ``csrf`` is required as X-CSRF-Token header of every change."""

    name: str
    csrf: str = ""
    must_change: bool = False


class TokenNew(Model):
    """A token to make: its name."""

    name: str = Field(min_length=1, max_length=64)


class Token(Model):
    """A token, without its secret."""

    name: str
    created: datetime
    last_used: datetime | None = None


class TokenMade(Token):
    """The only time that the token itself is shown."""

    token: str
