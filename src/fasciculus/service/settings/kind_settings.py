"""Settings of kinds, checked by the kinds that this service has."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any, TypeVar

from pydantic import BaseModel, ValidationError
from pydantic_core import InitErrorDetails, PydanticCustomError

from ...channels import KINDS as CHANNEL_KINDS
from ...channels.base import ChannelSpec
from ...core.errors import SettingError
from ...databases import ENGINES, server_engines
from ...hosts import KINDS as HOST_KINDS
from ...kinds import Kind, Secrets, Settings
from ...models import (
    ChannelInput,
    Database,
    HostInput,
    KindField,
    KindInfo,
    Kinds,
    KindSettings,
    StoreInput,
)
from ...models.validation import field_errors
from ...registry import Registry
from ...stores import KINDS as STORE_KINDS

M = TypeVar("M", bound=BaseModel)


def check_store(store: StoreInput) -> Settings:
    """Return the store's settings, complete and valid. Raises ``ValidationError`` or
    ``SettingError``.

    The input is changed to have all fields of its kind.
    """
    found = _checked(STORE_KINDS, store.settings, "settings")
    if store.queue and not STORE_KINDS.stays_connected(found.kind):
        raise _stays_here("This store")
    store.settings = KindSettings(**found.model_dump())
    _check_secrets(store.secrets, STORE_KINDS.get(found.kind).secrets.model_fields)
    return found


def _stays_here(what: str) -> SettingError:
    return SettingError(
        f"{what} is reached from the service's machine alone: no worker can take its tasks.",
        "Leave the queue empty.",
        field="queue",
    )


def check_host(host: HostInput) -> Settings:
    """Return the same for a host: its connection and its database servers."""
    found = _checked(HOST_KINDS, host.connection, "connection")
    if host.queue and found.kind == "local":
        raise _stays_here("This host")
    host.connection = KindSettings(**found.model_dump())
    names = set(HOST_KINDS.get(found.kind).secrets.model_fields)
    servers = [
        _checked(ENGINES, server, f"servers.{number}") for number, server in enumerate(host.servers)
    ]
    if len({server.kind for server in servers}) < len(servers):
        raise SettingError("A host has one database server of each engine.", field="servers")
    for server in servers:
        fields = ENGINES.get(server.kind).secrets.model_fields
        names |= {f"{server.kind}_{name}" for name in fields}
    host.servers = [KindSettings(**server.model_dump()) for server in servers]
    _check_secrets(host.secrets, names)
    return found


def check_channel(channel: ChannelInput) -> Settings:
    """Return the same for a channel; the values of its secrets are checked by ``channel_spec``."""
    found = _checked(CHANNEL_KINDS, channel.settings, "settings")
    channel.settings = KindSettings(**found.model_dump())
    _check_secrets(channel.secrets, CHANNEL_KINDS.get(found.kind).secrets.model_fields)
    return found


def channel_spec(channel: ChannelInput, secrets: Mapping[str, str]) -> ChannelSpec:
    """Return a channel with all its secrets, those that are saved included. Raises
    ``ValidationError`` or ``SettingError``.
    """
    settings = check_channel(channel)
    known = CHANNEL_KINDS.get(settings.kind).secrets
    # Another kind may have had other secrets under this name.
    kept = {key: value for key, value in secrets.items() if key in known.model_fields}
    valid = _at("secrets", lambda: known.model_validate(kept))
    found = {key: value for key, value in valid.model_dump().items() if value}
    return ChannelSpec(channel.name, settings, found)


def needed_secrets(channel: ChannelInput) -> list[str]:
    """Return the secrets without which a channel cannot be added."""
    fields = CHANNEL_KINDS.get(channel.settings.kind).secrets.model_fields
    return [name for name, field in fields.items() if field.is_required()]


def check_databases(databases: Iterable[Database]) -> None:
    """Raise ``SettingError`` for an engine that is not there, or a file without its path."""
    for database in databases:
        try:
            engine = ENGINES.get(database.engine)
        except SettingError as error:
            raise SettingError(error.message, error.hint, field="databases") from error
        if engine.settings is None and not database.path:
            raise SettingError(
                f"The {engine.title} database {database.name} lacks its path.",
                "Enter it below the account's home.",
                field="databases",
            )


def server_secrets(engine: str, secrets: Mapping[str, str]) -> dict[str, str]:
    """Return the secrets of a host's database server, out of all secrets of the host."""
    prefix = f"{engine}_"
    return {
        key.removeprefix(prefix): value for key, value in secrets.items() if key.startswith(prefix)
    }


def connection_secrets(kind: str, secrets: Mapping[str, str]) -> dict[str, str]:
    """Return the secrets of a host's connection, out of all secrets of the host."""
    fields = HOST_KINDS.get(kind).secrets.model_fields
    return {key: value for key, value in secrets.items() if key in fields}


def _checked(registry: Registry[Any], settings: KindSettings, place: str) -> Settings:
    try:
        return _at(place, lambda: registry.parse(settings.model_dump()))
    except SettingError as error:
        raise SettingError(error.message, error.hint, field=f"{place}.kind") from error


def _at(place: str, validate: Callable[[], M]) -> M:
    """Return what a validation gives; its errors name their fields below a place."""
    try:
        return validate()
    except ValidationError as error:
        raise ValidationError.from_exception_data(
            place,
            [
                InitErrorDetails(
                    type=PydanticCustomError("setting", "{reason}", {"reason": row.message}),
                    loc=(*place.split("."), *row.field.split(".")),
                    input=None,
                )
                for row in field_errors(error)
            ],
        ) from None


def _check_secrets(given: Mapping[str, str | None], known: Iterable[str]) -> None:
    if strange := sorted(set(given) - set(known)):
        raise SettingError(
            f"There is no secret “{strange[0]}” here.",
            f"Known: {', '.join(sorted(known)) or 'none'}.",
            field=f"secrets.{strange[0]}",
        )


# Describing the kinds -----------------------------------------------------------


def described_kinds() -> list[tuple[str, str, dict[str, Any]]]:
    """Return the models and fields that hold settings of kinds, with the JSON Schema of
    each kind.
    """
    return [
        ("Store", "settings", _schemas(STORE_KINDS.all())),
        ("Host", "connection", _schemas(HOST_KINDS.all())),
        ("Host", "servers", _schemas(server_engines())),
        ("Channel", "settings", _schemas(CHANNEL_KINDS.all())),
    ]


def _schemas(kinds: Iterable[Kind]) -> dict[str, Any]:
    return {kind.name: kind.settings.model_json_schema() for kind in kinds if kind.settings}


def kinds() -> Kinds:
    """Return all kinds, as forms and options take them."""
    return Kinds(
        stores=[_info(kind) for kind in STORE_KINDS.all()],
        hosts=[_info(kind) for kind in HOST_KINDS.all() if kind.name != "unconnected"],
        databases=[_info(engine) for engine in server_engines()],
        channels=[_info(kind) for kind in CHANNEL_KINDS.all()],
        engines=ENGINES.names(),
        engine_titles={engine.name: engine.title for engine in ENGINES.all()},
        refused=STORE_KINDS.refused,
    )


def _info(kind: Kind) -> KindInfo:
    settings = kind.settings
    assert settings is not None
    return KindInfo(
        name=kind.name,
        title=kind.title,
        fields=_fields(settings),
        secrets=_fields(kind.secrets),
        json_schema=settings.model_json_schema(),
        asks_for_access=getattr(kind, "access", None) is not None,
    )


def _fields(model: type[Settings] | type[Secrets] | type[BaseModel]) -> list[KindField]:
    schema = model.model_json_schema()
    required = schema.get("required", ())
    return [
        _field(name, value, name in required)
        for name, value in schema.get("properties", {}).items()
        if name != "kind"
    ]


def _field(name: str, schema: dict[str, Any], required: bool) -> KindField:
    types = {"integer": "number", "boolean": "switch"}
    examples, choices = schema.get("examples", []), schema.get("enum", [])
    return KindField(
        name=name,
        title=schema.get("title", name),
        hint=schema.get("description", ""),
        example=str(examples[0]) if examples else "",
        type="choice" if choices else types.get(schema.get("type", ""), "text"),
        choices=choices,
        default=schema.get("default"),
        least=schema.get("minimum"),
        most=schema.get("maximum"),
        required=required,
        multiline=schema.get("multiline", False),
    )
