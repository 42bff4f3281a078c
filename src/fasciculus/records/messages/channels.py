"""Channels: the ways by which reports reach people."""

from __future__ import annotations

import sqlite3

from ...channels import KINDS
from ...channels.base import ChannelSpec
from ...core.errors import MissingError, SettingError
from ...models import Channel, ChannelInput, KindSettings
from .. import settings
from ..forget_secrets import MAIL
from ..jobs import jobs
from ..odd_rows import readable
from ..secret_cipher import SecretCipher
from ..settings import WATCH


def channels(db: sqlite3.Connection, cipher: SecretCipher) -> list[Channel]:
    """Return all channels by name."""
    used = jobs.jobs(db)
    return readable(
        db.execute("SELECT * FROM channel ORDER BY name").fetchall(),
        lambda row: _shown(row, cipher, [job.name for job in used if row["name"] in job.channels]),
    )


def _shown(row: sqlite3.Row, cipher: SecretCipher, used: list[str]) -> Channel:
    found = _spec(row, cipher)
    return Channel(
        name=found.name,
        settings=KindSettings(**found.settings.model_dump()),
        where=KINDS.get(found.settings.kind).describe(found),
        secrets_set=sorted(found.secrets),
        jobs=used,
    )


def _spec(row: sqlite3.Row, cipher: SecretCipher) -> ChannelSpec:
    saved = ChannelInput.model_validate_json(row["document"])
    found = KINDS.parse(saved.settings.model_dump())
    return ChannelSpec(row["name"], found, cipher.decrypt(row["secrets"]))


def _row(db: sqlite3.Connection, name: str) -> sqlite3.Row:
    row: sqlite3.Row | None = db.execute("SELECT * FROM channel WHERE name=?", (name,)).fetchone()
    if row is None:
        known = ", ".join(r["name"] for r in db.execute("SELECT name FROM channel ORDER BY name"))
        raise MissingError(f"There is no channel “{name}”.", f"Channels: {known or 'none yet'}.")
    return row


def channel(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> ChannelSpec:
    """Return one channel with its secrets, for sending. Raises ``MissingError`` for an unknown
    name, ``SettingError`` if a secret that it needs was lost with a key.
    """
    found = _spec(_row(db, name), cipher)
    for secret, field in KINDS.get(found.settings.kind).secrets.model_fields.items():
        if field.is_required() and not found.secrets.get(secret):
            label = (field.title or secret).lower()
            raise SettingError(
                f"The {label} of channel “{name}” was forgotten with the key of the records.",
                f"Save the channel with its {label} again.",
            )
    return found


def secrets(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> dict[str, str]:
    """Return the saved secrets of a channel; none for one that is new."""
    row = db.execute("SELECT secrets FROM channel WHERE name=?", (name,)).fetchone()
    return cipher.decrypt(row["secrets"]) if row else {}


def save(db: sqlite3.Connection, cipher: SecretCipher, new: ChannelSpec) -> None:
    """Add a channel, or change the one of its name."""
    shown = ChannelInput(name=new.name, settings=KindSettings(**new.settings.model_dump()))
    db.execute(
        "INSERT INTO channel (name, document, secrets) VALUES (?, ?, ?) ON CONFLICT (name) DO "
        "UPDATE SET document=excluded.document, secrets=excluded.secrets",
        (new.name, shown.model_dump_json(), cipher.encrypt(dict(new.secrets))),
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
