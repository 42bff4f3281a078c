"""The settings of a service or a client, and the source of each value.

Environment variables win over the TOML file ``fasciculus.toml`` in
``FASCICULUS_HOME``, which wins over the defaults.
"""

from __future__ import annotations

import os
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from .core.bundle.layout import is_store_id
from .core.errors import SettingError

MIB = 1024 * 1024


@dataclass(frozen=True, slots=True)
class _Key:
    default: Any
    about: str


_KEYS = {
    "address": _Key("127.0.0.1", "address to listen on; loopback unless told otherwise"),
    "port": _Key(7370, "port to listen on"),
    "workers": _Key(0, "concurrent tasks; 0 means one for each core"),
    "threads": _Key(0, "cores for packing, per task; 0 means all"),
    "spool": _Key("", "folder for pieces on their way; empty means spool/ in the home"),
    "spool_limit": _Key(1024 * MIB, "bytes of pieces one task may spool"),
    "public_url": _Key("", "address of the console in reports; empty means none"),
    "secure_cookies": _Key(False, "true when the console is reached over HTTPS"),
    "records_stores": _Key(
        ("all",),
        "stores that get a copy of the records each day, separated by commas; “all” for those that "
        "jobs write to, “none” for none",
    ),
    "history_days": _Key(
        400, "days that runs, reports, closed alerts and the audit trail are kept; 0 means forever"
    ),
    "set_aside_days": _Key(
        14, "days that a restore in place keeps what it has set aside; 0 means until it is dropped"
    ),
    "log_format": _Key("text", "“text”, or “json” for one JSON object a line"),
    "log_file": _Key("", "file for the log; empty means standard error, for the journal"),
    "log_size": _Key(20 * MIB, "bytes at which the log file is rotated"),
    "log_files": _Key(5, "rotated log files that are kept"),
    "metrics_token": _Key("", "bearer token of a metrics collector, in addition to users' tokens"),
    "webhook_networks": _Key(
        (),
        "networks of this machine and link that webhooks may be in, such as 127.0.0.0/8, separated "
        "by commas; empty means none",
    ),
    "broker": _Key(
        "",
        "address of the broker for workers on other machines, such as redis://HOST/0; empty means "
        "that this machine does all work",
    ),
    "trusted_proxy": _Key(
        "", "address of the proxy whose X-Forwarded-For and -Proto count; empty means none"
    ),
}


#: Settings that are not shown.
_SECRET = ("metrics_token", "broker")
_FORMATS = ("text", "json")


@dataclass(frozen=True, slots=True)
class Config:
    """The service's settings. ``sources`` tells where each came from."""

    home: Path
    address: str
    port: int
    workers: int
    threads: int
    spool: Path
    spool_limit: int
    public_url: str
    secure_cookies: bool
    records_stores: tuple[str, ...]
    history_days: int
    set_aside_days: int
    log_format: str
    log_file: str
    log_size: int
    log_files: int
    metrics_token: str = field(repr=False)
    webhook_networks: tuple[str, ...]
    trusted_proxy: str
    broker: str = field(default="", repr=False, kw_only=True)
    sources: dict[str, str] = field(default_factory=dict, compare=False)

    @property
    def records(self) -> Path:
        """Return the path of the records."""
        return self.home / "records" / "fasciculus.sqlite"

    @property
    def key_file(self) -> Path:
        """Return the path of the key of the records."""
        return self.home / "keys" / "secrets.key"

    def tokens(self, store_id: str) -> Path:
        """Return where access to a drive is kept, encrypted. Raises ``ValueError`` for what is no
        id.
        """
        if not is_store_id(store_id):
            raise ValueError(f"{store_id!r} is not a store's id")
        return self.home / "keys" / "drives" / store_id

    @property
    def listings(self) -> Path:
        """Return the folder of the listings."""
        return self.home / "listings"

    def uploads(self, name: str) -> Path:
        """Return the folder of an upload, which becomes that of a store."""
        return self.home / "uploads" / name

    @property
    def under_way(self) -> Path:
        """Return where tasks leave listings until they end."""
        return self.listings / "under-way"

    def _kept(self, kind: str, subject: str, file: str) -> Path:
        # As text: joining paths step by step takes several times as long, a dozen times a task.
        return Path(f"{self.home}/listings/{kind}/{subject}/{file}")

    def listing(self, kind: str, subject: str, bundle: str) -> Path:
        """Return the path of a bundle's listing next to the records."""
        return self._kept(kind, subject, f"{bundle}.zst")

    def manifest(self, kind: str, subject: str, bundle: str) -> Path:
        """Return the path of the copy of a bundle's manifest next to the records."""
        return self._kept(kind, subject, f"{bundle}.json")

    def changes(self, kind: str, subject: str, older: str, newer: str) -> Path:
        """Return where the changes from one bundle to the next are kept."""
        return self.home / "changes" / kind / subject / f"{older}..{newer}.zst"

    def set_aside(self, side: str) -> Path:
        """Return the folder with the data for an undo of databases, by the side folder's name."""
        return self.home / "set-aside" / side

    def restore_plan(self, restore_id: int) -> Path:
        """Return where the plan of a restore in place is kept, as JSON lines."""
        return self.home / "restore-plans" / f"{restore_id}.jsonl"

    def states(self, kind: str, subject: str, bundle: str) -> Path:
        """Return where the states of a bundle's files are kept for the next one."""
        return self._kept(kind, subject, f"{bundle}.states")


def _typed(name: str, value: Any, default: Any, source: str) -> Any:
    try:
        if isinstance(default, bool):
            if isinstance(value, bool):
                return value
            return {"true": True, "1": True, "yes": True, "false": False, "0": False, "no": False}[
                str(value).lower()
            ]
        if isinstance(default, tuple):
            names = value if isinstance(value, list | tuple) else str(value).split(",")
            return tuple(str(name).strip() for name in names if str(name).strip())
        return type(default)(value)
    except (ValueError, KeyError) as error:
        raise SettingError(
            f"{name} in {source} cannot be “{value}”.",
            f"It is for example “{default}”.",
            field=name,
        ) from error


def home_of(environment: Mapping[str, str]) -> Path:
    """``FASCICULUS_HOME``, otherwise a folder of the system or of the user."""
    if environment.get("FASCICULUS_HOME"):
        return Path(environment["FASCICULUS_HOME"]).absolute()
    if os.geteuid() == 0:
        return Path("/var/lib/fasciculus")
    return Path.home() / ".local" / "share" / "fasciculus"


def load(environment: Mapping[str, str] = os.environ) -> Config:
    """Return the settings in force. Raises ``SettingError`` naming the key that is wrong."""
    home = home_of(environment)
    path = home / "fasciculus.toml"
    document: dict[str, Any] = {}
    if path.is_file():
        try:
            document = tomllib.loads(path.read_text("utf-8"))
        except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
            raise SettingError(f"{path} cannot be read: {error}.", "Correct that line.") from error
        strange = sorted(set(document) - set(_KEYS))
        if strange:
            raise SettingError(
                f"{path} sets “{strange[0]}”, which is not a setting.",
                f"Settings: {', '.join(_KEYS)}.",
                field=strange[0],
            )
    values: dict[str, Any] = {}
    sources = {"home": "FASCICULUS_HOME" if environment.get("FASCICULUS_HOME") else "default"}
    for name, key in _KEYS.items():
        variable = f"FASCICULUS_{name.upper()}"
        if variable in environment:
            values[name], sources[name] = environment[variable], variable
        elif name in document:
            values[name], sources[name] = document[name], str(path)
        else:
            values[name], sources[name] = key.default, "default"
        values[name] = _typed(name, values[name], key.default, sources[name])
    if values["log_format"] not in _FORMATS:
        raise SettingError(
            f"log_format in {sources['log_format']} cannot be “{values['log_format']}”.",
            f"It is one of {', '.join(_FORMATS)}.",
            field="log_format",
        )
    values["spool"] = Path(values["spool"] or home / "spool").absolute()
    return Config(home=home, sources=sources, **values)


def _shown(value: Any) -> str:
    return ", ".join(value) if isinstance(value, tuple) else str(value)


def _shown_of(name: str, value: Any) -> str:
    return "set" if name in _SECRET and value else _shown(value)


def explained(config: Config) -> list[tuple[str, str, str, str]]:
    """Return (setting, value, source, meaning) for people."""
    rows = [("home", str(config.home), config.sources["home"], "all of the service's own files")]
    return rows + [
        (name, _shown_of(name, getattr(config, name)), config.sources[name], key.about)
        for name, key in _KEYS.items()
    ]
