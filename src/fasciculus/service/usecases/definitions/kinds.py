"""The kinds of things that definitions have: how each is read from the records, and saved."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, Field, ValidationError

from ....channels.base import ChannelMessage, ChannelSpec
from ....core.errors import SettingError
from ....models import (
    AccountInput,
    ChannelInput,
    HostInput,
    JobInput,
    MailServer,
    StoreInput,
    WatchSettings,
)
from ....models.model import Model
from ....records import inventory
from ....records.jobs import jobs
from ....records.messages import channels
from ....records.paging import PageRequest
from ....records.secret_cipher import SecretCipher, merged
from ....records.stores import stores
from ....records.stores.stores import ProvedStore
from ...notifications import templates, webhook_message
from ...notifications.channel_messages import composed
from ...notifications.samples import sample_of
from ...settings.kind_settings import (
    channel_spec,
    check_channel,
    check_databases,
    check_host,
    check_store,
    needed_secrets,
)
from ...settings.mail_settings import (
    check_mail_server,
    mail_password,
    mail_server,
    save_mail_server,
)
from ...settings.watch_settings import save_watch_settings, watch_settings

_ALL = PageRequest(limit=100_000)


class TemplateDefinition(Model):
    """The words of a message in place of those that came along."""

    name: str
    text: str


class MailDefinition(MailServer):
    """The mail server as definitions have it: its password is one of its secrets."""

    name: str = "mail"
    secrets: dict[str, str] = Field(default={}, repr=False)


class WatchDefinition(WatchSettings):
    """The alert settings, as definitions have them."""

    name: str = "watch"


#: Fields of output models, and fields stored elsewhere.
_TOLD = {
    "hosts": {"name", "secrets", "secrets_set", "accounts", "where"},
    "accounts": {"name", "covered_by", "newest", "newest_bytes", "bundles", "gone_since"},
    "stores": {
        "name",
        "secrets",
        "secrets_set",
        "jobs",
        "copies",
        "bytes",
        "damaged",
        "where",
        "tried",
        "free",
        "free_at",
        "access",
        "owner",
        "full_on",
        "lag",
        "month_price",
        "if_stolen",
        "oldest_read",
    },
    "jobs": {"name"},
    "channels": {"name", "secrets", "secrets_set", "where", "jobs"},
    "settings": {"name", "secrets", "password", "password_set"},
    "templates": {"name"},
}


@dataclass(frozen=True, slots=True)
class DefinedKind:
    """One kind: its plural, which is its table in the text.

    ``known`` are the things that there are, by name; ``model`` is what one of a name is read as;
    ``secrets`` are those that are stored of one; ``check`` raises for what its settings cannot be;
    ``save`` adds or, with its old name, changes one.
    """

    name: str
    known: Callable[[sqlite3.Connection, SecretCipher], Mapping[str, BaseModel]]
    model: Callable[[str], type[BaseModel]]
    save: Callable[[sqlite3.Connection, SecretCipher, Any, str | None, ProvedStore | None], None]
    secrets: Callable[[sqlite3.Connection, SecretCipher, str], dict[str, str]] | None = None
    check: Callable[[Any], object] = lambda model: None
    #: Secrets without which one cannot be added.
    needed: Callable[[Any], list[str]] = lambda model: []

    @property
    def one(self) -> str:
        """Return the name of one of them."""
        return self.name[:-1]

    def fields(self, model: BaseModel, *, with_defaults: bool) -> dict[str, Any]:
        """Return the settings of one, as plain values."""
        return model.model_dump(
            mode="json",
            exclude=_TOLD[self.name],
            exclude_none=True,
            exclude_defaults=not with_defaults,
        )


def _save_channel(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    new: ChannelInput,
    old: str | None,
    proved: ProvedStore | None,
) -> None:
    secrets = merged(channels.secrets(db, cipher, old) if old else {}, new.secrets)
    if set(needed_secrets(new)) - secrets.keys():
        # A dry run; before anything is applied, they are asked for.
        channels.save(db, cipher, ChannelSpec(new.name, check_channel(new), secrets))
        return
    try:
        channel = channel_spec(new, secrets)
    except ValidationError as error:
        raise SettingError(str(error.errors()[0]["msg"]).removeprefix("Value error, ")) from error
    channels.save(db, cipher, channel)


def _check_channel(new: ChannelInput) -> None:
    composed(ChannelSpec(new.name, check_channel(new)), ChannelMessage(webhook_message.example()))


def _settings(db: sqlite3.Connection, cipher: SecretCipher) -> dict[str, BaseModel]:
    return {
        "mail": MailDefinition(**mail_server(db, cipher).model_dump()),
        "watch": WatchDefinition(**watch_settings(db).model_dump()),
    }


def _settings_model(name: str) -> type[BaseModel]:
    models: dict[str, type[BaseModel]] = {"mail": MailDefinition, "watch": WatchDefinition}
    if name not in models:
        raise SettingError(f"There are no settings “{name}”.", f"Use {' or '.join(models)}.")
    return models[name]


def _settings_secrets(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> dict[str, str]:
    found = mail_password(db, cipher) if name == "mail" else ""
    return {"password": found} if found else {}


def _check_settings(new: MailDefinition | WatchDefinition) -> None:
    if isinstance(new, MailDefinition):
        check_mail_server(new)


def _save_settings(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    new: MailDefinition | WatchDefinition,
    old: str | None,
    proved: ProvedStore | None,
) -> None:
    if isinstance(new, WatchDefinition):
        fields = new.model_dump(include=set(WatchSettings.model_fields))
        save_watch_settings(db, WatchSettings(**fields))
        return
    fields = new.model_dump(include=set(MailServer.model_fields))
    server = MailServer(**fields)
    server.password = new.secrets.get("password")
    save_mail_server(db, cipher, server)


def _templates(db: sqlite3.Connection, cipher: SecretCipher) -> dict[str, BaseModel]:
    return {
        name: TemplateDefinition(name=name, text=text)
        for name, text in sorted(templates.own_texts(db).items())
    }


def _save_host(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    new: HostInput,
    old: str | None,
    proved: ProvedStore | None,
) -> None:
    inventory.save_host(db, cipher, new, check_host(new).describe(), old)


def _save_store(
    db: sqlite3.Connection,
    cipher: SecretCipher,
    new: StoreInput,
    old: str | None,
    proved: ProvedStore | None,
) -> None:
    assert proved is not None
    stores.save_store(db, cipher, new, proved, old)


#: In the order in which one builds on another.
KINDS: dict[str, DefinedKind] = {
    kind.name: kind
    for kind in (
        DefinedKind(
            "channels",
            lambda db, cipher: {row.name: row for row in channels.channels(db, cipher)},
            lambda name: ChannelInput,
            _save_channel,
            channels.secrets,
            _check_channel,
            needed=needed_secrets,
        ),
        DefinedKind(
            "settings",
            _settings,
            _settings_model,
            _save_settings,
            _settings_secrets,
            _check_settings,
        ),
        DefinedKind(
            "templates",
            _templates,
            lambda name: TemplateDefinition,
            lambda db, cipher, new, old, proved: templates.save(
                db, new.name, new.text, sample_of(new.name)
            ),
            check=lambda new: templates.check_name(new.name),
        ),
        DefinedKind(
            "hosts",
            lambda db, cipher: {row.name: row for row in inventory.hosts(db, cipher, _ALL).items},
            lambda name: HostInput,
            _save_host,
            inventory.host_secrets,
            check_host,
        ),
        DefinedKind(
            "accounts",
            lambda db, cipher: {row.name: row for row in inventory.every_account(db)},
            lambda name: AccountInput,
            lambda db, cipher, new, old, proved: inventory.save_account(db, new, old),
            check=lambda new: check_databases(new.databases),
        ),
        DefinedKind(
            "stores",
            lambda db, cipher: {row.name: row for row in stores.stores(db, cipher, _ALL).items},
            lambda name: StoreInput,
            _save_store,
            stores.secrets,
            check_store,
        ),
        DefinedKind(
            "jobs",
            lambda db, cipher: {row.name: row for row in jobs.jobs(db)},
            lambda name: JobInput,
            lambda db, cipher, new, old, proved: jobs.save_job(db, new, old),
        ),
    )
}
