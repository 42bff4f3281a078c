"""Channels: targets of reports other than mail."""

from __future__ import annotations

import sqlite3
from dataclasses import dataclass
from urllib.parse import urlsplit

from ...core.errors import MissingError, SettingError
from ...models import Channel, ChannelInput
from .. import settings
from ..forget_secrets import MAIL
from ..jobs import jobs
from ..secret_cipher import SecretCipher, merged
from ..settings import WATCH


@dataclass(frozen=True, slots=True)
class ChannelSecrets:
    """A channel with what nobody is shown."""

    channel: ChannelInput
    url: str
    secret: str


def channels(db: sqlite3.Connection, cipher: SecretCipher) -> list[Channel]:
    """Return all channels by name."""
    used = jobs.jobs(db)
    return [
        _shown(row, cipher, [job.name for job in used if row["name"] in job.channels])
        for row in db.execute("SELECT * FROM channel ORDER BY name")
    ]


def _shown(row: sqlite3.Row, cipher: SecretCipher, used: list[str]) -> Channel:
    found = _with_secrets(row, cipher)
    return Channel(
        name=found.channel.name,
        host=urlsplit(found.url).netloc.rpartition("@")[2],
        form=found.channel.form,
        template=found.channel.template,
        secret_set=bool(found.secret),
        jobs=used,
    )


def _with_secrets(row: sqlite3.Row, cipher: SecretCipher) -> ChannelSecrets:
    secrets = cipher.decrypt(row["secrets"])
    channel = ChannelInput.model_validate_json(row["document"])
    return ChannelSecrets(channel, secrets.get("url", ""), secrets.get("secret", ""))


def _row(db: sqlite3.Connection, name: str) -> sqlite3.Row:
    row: sqlite3.Row | None = db.execute("SELECT * FROM channel WHERE name=?", (name,)).fetchone()
    if row is None:
        known = ", ".join(r["name"] for r in db.execute("SELECT name FROM channel ORDER BY name"))
        raise MissingError(f"There is no channel “{name}”.", f"Channels: {known or 'none yet'}.")
    return row


def channel(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> ChannelSecrets:
    """Return one channel with its address and secret, for sending. Raises ``MissingError`` for an
    unknown name, ``SettingError`` if its address was lost with a key.
    """
    found = _with_secrets(_row(db, name), cipher)
    if not found.url:
        raise SettingError(
            f"The address of channel “{name}” was forgotten with the key of the records.",
            "Save the channel with its address again.",
        )
    return found


def save(db: sqlite3.Connection, cipher: SecretCipher, new: ChannelInput) -> None:
    """Add a channel, or change the one of its name. Its address is kept encrypted: for many chat
    services it is all that a sender needs."""
    old = db.execute("SELECT secrets FROM channel WHERE name=?", (new.name,)).fetchone()
    known = cipher.decrypt(old["secrets"]) if old else {}
    secrets = merged(known, {"url": new.url, "secret": new.secret})
    shown = new.model_copy(update={"url": "https://kept.example", "secret": None})
    db.execute(
        "INSERT INTO channel (name, document, secrets) VALUES (?, ?, ?) ON CONFLICT (name) DO "
        "UPDATE SET document=excluded.document, secrets=excluded.secrets",
        (new.name, shown.model_dump_json(), cipher.encrypt(secrets)),
    )


def remove(db: sqlite3.Connection, name: str) -> None:
    """Remove a channel that nothing uses."""
    _row(db, name)
    used = [job.name for job in jobs.jobs(db) if name in job.channels]
    if used:
        raise SettingError(
            f"Channel “{name}” gets the reports of job {used[0]}.",
            "Take it out there first.",
        )
    if name in settings.get(db, WATCH, {}).get("channels", ()):
        raise SettingError(
            f"Channel “{name}” gets the alerts of the watch.", "Take it out there first."
        )
    if settings.get(db, MAIL, {}).get("fallback_channel") == name:
        raise SettingError(
            f"Channel “{name}” is the fallback channel for reports.",
            "Choose another one with the mail server first.",
        )
    db.execute("DELETE FROM channel WHERE name=?", (name,))


def check_known(db: sqlite3.Connection, names: list[str], field: str) -> None:
    """Raise ``SettingError`` naming the field for a channel that there is not."""
    known = [row["name"] for row in db.execute("SELECT name FROM channel ORDER BY name")]
    for name in names:
        if name not in known:
            raise SettingError(
                f"There is no channel “{name}”.",
                f"Channels: {', '.join(known) or 'none yet'}.",
                field=field,
            )
