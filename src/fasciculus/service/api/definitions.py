"""Everything an operator defines, as one text, and applied again."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from flask import Response
from pydantic import BaseModel, ValidationError

from ...core import definitions
from ...core.errors import SettingError
from ...models import (
    AccountInput,
    Applied,
    Change,
    Definitions,
    HostInput,
    JobInput,
    StoreInput,
)
from ...models.validation import field_errors
from ...records import inventory, jobs, stores
from ...records.paging import PageRequest
from ...records.stores import ProvedStore
from ..context import context, order_sources
from ..kind_settings import check_databases, check_host, check_store
from ..operations import operation
from ..store_check import prove
from .auth import note

_ALL = PageRequest(limit=100_000)
#: What the service tells of a thing, and what is kept elsewhere.
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
        "oldest_read",
    },
    "jobs": {"name"},
}
_MODELS: dict[str, type[BaseModel]] = {
    "hosts": HostInput,
    "accounts": AccountInput,
    "stores": StoreInput,
    "jobs": JobInput,
}


@dataclass(slots=True)
class _Wanted:
    """One thing of the text: what it is now, what it shall be, and what differs."""

    kind: str
    name: str
    model: Any
    change: Change | None
    secrets: dict[str, str]


def _known(db: sqlite3.Connection) -> dict[str, dict[str, Any]]:
    cipher = context().cipher
    return {
        "hosts": {row.name: row for row in inventory.hosts(db, cipher, _ALL).items},
        "accounts": {row.name: row for row in inventory.every_account(db)},
        "stores": {row.name: row for row in stores.stores(db, cipher, _ALL).items},
        "jobs": {row.name: row for row in jobs.jobs(db)},
    }


def _fields(kind: str, model: BaseModel, defaults: bool) -> dict[str, Any]:
    return model.model_dump(
        mode="json", exclude=_TOLD[kind], exclude_none=True, exclude_defaults=not defaults
    )


@operation(
    "GET",
    "/definitions",
    "Hosts, accounts, stores and jobs as one TOML text",
    media="application/toml",
)
def definitions_export() -> Response:
    known = _known(context().records.reader)
    tables = {
        kind: {name: _fields(kind, row, False) for name, row in rows.items()}
        for kind, rows in known.items()
    }
    secrets = {
        f"{kind}.{name}": row.secrets_set
        for kind in ("hosts", "stores")
        for name, row in known[kind].items()
        if row.secrets_set
    }
    return Response(definitions.to_text(tables, secrets), mimetype="application/toml")


@operation(
    "POST",
    "/definitions",
    "Apply such a text; with “dry_run”, say what would change",
    body=Definitions,
    response=Applied,
)
def definitions_apply(body: Definitions) -> Applied:
    records = context().records
    defined = definitions.from_text(body.text)
    known = _known(records.reader)
    wanted = list(_compared(records.reader, defined, known, body.secrets))
    changes = [row.change for row in wanted if row.change is not None]
    same = len(wanted) - len(changes)
    kept = [
        Change(action="kept", kind=kind[:-1], name=name)
        for kind in definitions.KINDS
        for name in sorted(known[kind].keys() - defined.tables.get(kind, {}).keys())
    ]
    if body.dry_run:
        _rehearse(wanted)
        return Applied(changes=changes + kept, same=same)
    marks = {
        row.name: prove(
            order_sources(), row.model, row.name if row.name in known["stores"] else None
        )
        for row in wanted
        if row.kind == "stores" and row.change is not None
    }
    with records.write() as db:
        for row in wanted:
            if row.change is not None:
                _save(db, row, marks)
    if changes:
        note("applied definitions", f"{len(changes)} changes")
        context().scheduler.refresh()
        for kind in definitions.KINDS:
            context().events.changed(kind)
    return Applied(changes=changes + kept, same=same)


def _compared(
    db: sqlite3.Connection,
    defined: definitions.ParsedDefinitions,
    known: dict[str, dict[str, Any]],
    secrets: dict[str, str],
) -> Iterator[_Wanted]:
    for kind in definitions.KINDS:
        for name, fields in defined.tables.get(kind, {}).items():
            try:
                model: Any = _MODELS[kind].model_validate({**fields, "name": name})
            except ValidationError as error:
                raise _wrong(kind, name, error) from error
            _check_kinds(kind, name, model)
            if strange := sorted(set(fields) - set(_MODELS[kind].model_fields)):
                raise SettingError(
                    f"{kind}.{name} has no “{strange[0]}”.", "Correct or remove it.", field="text"
                )
            old = known[kind].get(name)
            given, lacking = _secrets_of(kind, name, defined, secrets)
            if old is None and lacking:
                raise SettingError(
                    f"The secret {lacking[0]} cannot be found.",
                    "Set the variable, or write the file, that its reference names.",
                    field="text",
                )
            stored = _stored(db, kind, name) if old is not None else {}
            differing = [
                f"secrets.{key}" for key, value in given.items() if stored.get(key) != value
            ]
            change = None
            if old is None:
                change = Change(action="added", kind=kind[:-1], name=name)
            elif differing or _fields(kind, old, True) != _fields(kind, model, True):
                change = Change(
                    action="changed",
                    kind=kind[:-1],
                    name=name,
                    fields=[
                        *definitions.changed_fields(
                            _fields(kind, old, True), _fields(kind, model, True)
                        ),
                        *differing,
                    ],
                )
            if given:
                model.secrets = dict(given)
            yield _Wanted(kind, name, model, change, given)


def _secrets_of(
    kind: str, name: str, defined: definitions.ParsedDefinitions, secrets: dict[str, str]
) -> tuple[dict[str, str], list[str]]:
    """The secrets of a thing that were given with the text, and the references that nobody
    resolved.
    """
    prefix = f"{kind}.{name}."
    given, lacking = {}, []
    for place in defined.references:
        if place.startswith(prefix) and "." not in (key := place[len(prefix) :]):
            if kind not in ("hosts", "stores"):
                raise SettingError(f"{place}: there is no such secret.", field="text")
            if place in secrets:
                given[key] = secrets[place]
            else:
                lacking.append(place)
    return given, lacking


def _stored(db: sqlite3.Connection, kind: str, name: str) -> dict[str, str]:
    if kind == "hosts":
        return inventory.host_secrets(db, context().cipher, name)
    return stores.secrets(db, context().cipher, name) if kind == "stores" else {}


def _check_kinds(kind: str, name: str, model: Any) -> None:
    """Have the kinds check their settings, and put in what they leave to their defaults."""
    try:
        if kind == "hosts":
            check_host(model)
        elif kind == "stores":
            check_store(model)
        elif kind == "accounts":
            check_databases(model.databases)
    except ValidationError as error:
        raise _wrong(kind, name, error) from error
    except SettingError as error:
        raise SettingError(
            f"{kind}.{name}: {error.message}", error.way_out, field="text"
        ) from error


def _wrong(kind: str, name: str, error: ValidationError) -> SettingError:
    row = field_errors(error)[0]
    place = ".".join(filter(None, (kind, name, row.field)))
    return SettingError(f"{place}: {row.message}", "Correct it there.", field="text")


class _RollbackError(Exception):
    """Ends a rehearsal: nothing of it is kept."""


def _rehearse(wanted: list[_Wanted]) -> None:
    """Find out, in a transaction that is taken back, whether all of it could be saved."""
    try:
        with context().records.write() as db:
            for row in wanted:
                if row.change is not None:
                    _save(db, row, {row.name: ProvedStore("", f"rehearsed {row.name}")})
            raise _RollbackError
    except _RollbackError:
        pass


def _save(db: sqlite3.Connection, row: _Wanted, marks: dict[str, ProvedStore]) -> None:
    assert row.change is not None
    old = None if row.change.action == "added" else row.name
    cipher = context().cipher
    try:
        match row.kind:
            case "hosts":
                inventory.save_host(db, cipher, row.model, check_host(row.model).describe(), old)
            case "accounts":
                inventory.save_account(db, row.model, old)
            case "stores":
                stores.save_store(db, cipher, row.model, marks[row.name], old)
            case "jobs":
                jobs.save_job(db, row.model, old)
    except SettingError as error:
        raise SettingError(
            f"{row.kind}.{row.name}: {error.message}", error.way_out, field="text"
        ) from error
