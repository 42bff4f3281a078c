"""Signing in and out, passwords, tokens."""

from __future__ import annotations

import logging
from contextlib import suppress

from ...core.errors import SettingError
from ...models import Identity, Page, Password, SignIn, Token, TokenMade, TokenNew
from ...records import users
from ...records.db import UnwritableError
from ...records.users import Principal
from .. import initial_password
from ..context import Context
from .caller import Caller

log = logging.getLogger(__name__)


def check_password(service: Context, body: SignIn, address: str) -> Principal | None:
    """Return the user with that name and password; a wrong one is noted in the audit trail."""
    found = users.check(service.records.reader, body.name, body.password)
    if found is None:
        log.warning("sign-in refused: wrong, for %r from %s", body.name[:64], address)
        with suppress(UnwritableError), service.records.write() as db:
            users.audit(db, "?", "sign-in refused", f"{body.name[:64]} from {address}")
    return found


def session_open(service: Context, person: Principal, address: str) -> tuple[str, str]:
    """Return a session's secret and CSRF token; while the records cannot be written, only in
    memory.
    """
    try:
        with service.records.write() as db:
            users.audit(db, person.name, users.SIGNED_IN, address)
            return users.open_session(db, person.person_id)
    except UnwritableError as error:
        log.warning("%s signed in from %s; %s", person.name, address, error.message)
        return service.unwritten_sessions.open(service.records.reader, person)


def session_show(caller: Caller) -> Identity:
    """Return the signed-in user."""
    who = caller.principal
    return Identity(name=who.name, csrf=who.csrf or "", must_change=who.must_change)


def session_close(caller: Caller, secret: str) -> None:
    """Sign out."""
    caller.service.unwritten_sessions.close(secret)
    with caller.write() as db:
        users.close_session(db, secret)


def password_change(caller: Caller, body: Password) -> None:
    """Choose another password; ends all sessions."""
    who = caller.principal
    records = caller.records
    if users.check(records.reader, who.name, body.old) is None:
        raise SettingError("The old password is wrong.", "Enter it again.", field="old")
    if body.new == body.old:
        raise SettingError("The new password is the old one.", "Choose another.", field="new")
    with records.write() as db:
        users.change_password(db, who.person_id, body.new)
        if body.end_tokens:
            users.remove_tokens(db, who.person_id)
        ended = " and ended all tokens" if body.end_tokens else ""
        initial_password.forget(caller.config.home)
        users.audit(db, who.name, f"changed the password{ended}", who.name)


def tokens_list(caller: Caller) -> Page[Token]:
    """Return your tokens."""
    rows = users.tokens(caller.reader, caller.principal.person_id)
    return Page(items=rows, total=len(rows))


def tokens_add(caller: Caller, body: TokenNew) -> TokenMade:
    """Make a token; it is shown this once."""
    who = caller.principal
    with caller.write() as db:
        users.audit(db, who.name, "made a token", body.name)
        return users.add_token(db, who.person_id, body.name)


def tokens_remove(caller: Caller, name: str) -> None:
    """Remove a token."""
    who = caller.principal
    with caller.write() as db:
        users.remove_token(db, who.person_id, name)
        users.audit(db, who.name, "removed a token", name)
