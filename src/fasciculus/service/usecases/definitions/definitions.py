"""Everything an operator defines, as one text, and applied again."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, ValidationError

from ....core import definitions
from ....core.errors import FasciculusError, SettingError
from ....models import Applied, Change, Definitions
from ....models.validation import field_errors
from ....records.stores.stores import ProvedStore
from ..caller import Caller
from ..stores.check import prove
from .kinds import KINDS, DefinedKind

#: What stands among the fields of a model, and belongs among the secrets of a text.
_WRITTEN_OUT = {"password", "password_set"}
Known = Mapping[str, Mapping[str, BaseModel]]


@dataclass(slots=True)
class _Wanted:
    """One thing of the text: what it shall be, what differs, and the secrets that are missing."""

    kind: DefinedKind
    name: str
    model: Any
    change: Change | None
    lacking: list[str]


def _known(caller: Caller, db: sqlite3.Connection) -> dict[str, Mapping[str, BaseModel]]:
    return {name: kind.known(db, caller.cipher) for name, kind in KINDS.items()}


def definitions_export(caller: Caller) -> str:
    """Return all settings as one TOML text; secrets only as references."""
    db, cipher = caller.reader, caller.cipher
    tables: dict[str, dict[str, dict[str, Any]]] = {}
    secrets: dict[str, list[str]] = {}
    for kind, rows in _known(caller, db).items():
        of_kind = KINDS[kind]
        tables[kind] = {}
        for name, row in rows.items():
            kept = sorted(of_kind.secrets(db, cipher, name)) if of_kind.secrets else []
            fields = of_kind.fields(row, with_defaults=False)
            if kind == "settings" and not (fields or kept):
                continue
            tables[kind][name] = fields
            if kept:
                secrets[f"{kind}.{name}"] = kept
    return definitions.to_text(tables, secrets)


def definitions_apply(caller: Caller, body: Definitions) -> Applied:
    """Apply such a text; with ``dry_run``, say what would change."""
    records = caller.records
    defined = definitions.from_text(body.text)
    known = _known(caller, records.reader)
    wanted = list(_compared(caller, records.reader, defined, known, body.secrets))
    changes = [row.change for row in wanted if row.change is not None]
    kept = [
        Change(action="kept", kind=KINDS[kind].one, name=name)
        for kind in definitions.KINDS
        for name in sorted(known[kind].keys() - defined.tables.get(kind, {}).keys())
        if kind != "settings"
    ]
    lacking = [place for row in wanted for place in row.lacking]
    applied = Applied(changes=changes + kept, same=len(wanted) - len(changes), lacking=lacking)
    if body.dry_run:
        _rehearse(caller, wanted)
        return applied
    if lacking:
        raise SettingError(
            f"The secret {lacking[0]} cannot be found.",
            "Set the variable, or write the file, that its reference names.",
            field="text",
        )
    proved = {
        row.name: prove(
            caller.order_inputs(), row.model, row.name if row.name in known["stores"] else None
        )
        for row in wanted
        if row.kind.name == "stores" and row.change is not None
    }
    with records.write() as db:
        for row in wanted:
            if row.change is not None:
                _save(caller, db, row, proved.get(row.name))
    if changes:
        caller.note("applied definitions", f"{len(changes)} changes")
        caller.service.scheduler.refresh()
        for kind in definitions.KINDS:
            caller.changed(kind)
    return applied


def _compared(
    caller: Caller,
    db: sqlite3.Connection,
    defined: definitions.ParsedDefinitions,
    known: Known,
    secrets: dict[str, str],
) -> Iterator[_Wanted]:
    for kind_name in definitions.KINDS:
        kind = KINDS[kind_name]
        for name, fields in defined.tables.get(kind_name, {}).items():
            model = _read(kind, name, fields)
            old = known[kind_name].get(name)
            given, lacking = _secrets_of(kind, name, defined, secrets)
            if old is None:
                lacking += [
                    f"{kind_name}.{name}.{key}"
                    for key in kind.needed(model)
                    if key not in given and f"{kind_name}.{name}.{key}" not in lacking
                ]
            else:
                # What is stored stays.
                lacking = []
            change = _change(caller, db, kind, name, old, model, given)
            if given:
                model.secrets = dict(given)
            yield _Wanted(kind, name, model, change, lacking)


def _read(kind: DefinedKind, name: str, fields: dict[str, Any]) -> Any:
    """Return a thing of the text, checked. Raises ``SettingError`` that names its place."""
    place = f"{kind.name}.{name}"
    try:
        model_type = kind.model(name)
        if strange := sorted(set(fields) - set(model_type.model_fields)):
            raise SettingError(f"it has no “{strange[0]}”.", "Correct or remove it.")
        if written := sorted(set(fields) & _WRITTEN_OUT):
            raise SettingError(
                f"“{written[0]}” is written out.",
                f'Write secrets = {{ {written[0]} = {{ env = "NAME" }} }} instead.',
            )
        model = model_type.model_validate({**fields, "name": name})
        kind.check(model)
    except ValidationError as error:
        row = field_errors(error)[0]
        place = ".".join(filter(None, (place, row.field)))
        raise SettingError(f"{place}: {row.message}", "Correct it there.", field="text") from error
    except FasciculusError as error:
        raise SettingError(f"{place}: {error.message}", error.hint, field="text") from error
    return model


def _change(
    caller: Caller,
    db: sqlite3.Connection,
    kind: DefinedKind,
    name: str,
    old: BaseModel | None,
    model: BaseModel,
    given: dict[str, str],
) -> Change | None:
    if old is None:
        return Change(action="added", kind=kind.one, name=name)
    stored = kind.secrets(db, caller.cipher, name) if kind.secrets else {}
    differing = [f"secrets.{key}" for key, value in given.items() if stored.get(key) != value]
    before = kind.fields(old, with_defaults=True)
    after = kind.fields(model, with_defaults=True)
    if not differing and before == after:
        return None
    fields = [*definitions.changed_fields(before, after), *differing]
    return Change(action="changed", kind=kind.one, name=name, fields=fields)


def _secrets_of(
    kind: DefinedKind,
    name: str,
    defined: definitions.ParsedDefinitions,
    secrets: dict[str, str],
) -> tuple[dict[str, str], list[str]]:
    """Return the secrets of a thing that were given with the text, and the references that nobody
    resolved.
    """
    prefix = f"{kind.name}.{name}."
    given, lacking = {}, []
    for place in defined.references:
        if place.startswith(prefix) and "." not in (key := place[len(prefix) :]):
            if kind.secrets is None:
                raise SettingError(f"{place}: there is no such secret.", field="text")
            if place in secrets:
                given[key] = secrets[place]
            else:
                lacking.append(place)
    return given, lacking


class _RollbackError(Exception):
    """Ends a rehearsal: nothing of it is kept."""


def _rehearse(caller: Caller, wanted: list[_Wanted]) -> None:
    """Find out, in a transaction that is taken back, whether all of it could be saved."""
    try:
        with caller.write() as db:
            for row in wanted:
                if row.change is not None:
                    _save(caller, db, row, ProvedStore("", f"rehearsed {row.name}"))
            raise _RollbackError
    except _RollbackError:
        pass


def _save(caller: Caller, db: sqlite3.Connection, row: _Wanted, proved: ProvedStore | None) -> None:
    assert row.change is not None
    old = None if row.change.action == "added" else row.name
    try:
        row.kind.save(db, caller.cipher, row.model, old, proved)
    except SettingError as error:
        raise SettingError(
            f"{row.kind.name}.{row.name}: {error.message}", error.hint, field="text"
        ) from error
