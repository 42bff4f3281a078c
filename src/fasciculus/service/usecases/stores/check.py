"""Proves, step by step, that a store can be used, and makes it ours."""

from __future__ import annotations

from ....core.bundle.seal.sealing import Sealer
from ....core.errors import FasciculusError, MissingError, SettingError
from ....core.steps import Step
from ....models import StoreInput, TryResult, TryStep
from ....records.secret_cipher import merged
from ....records.stores import stores
from ....records.stores.stores import ProvedStore
from ....stores import open_store, open_unguarded
from ....stores.append_only import append_only_error
from ....stores.base import StoreSpec, connected
from ....stores.identity import StoreOwner, claim, read_identity, read_owner, write_identity
from ....stores.trying import try_store
from ... import outside
from ...settings.kind_settings import check_store
from ...tasks.orders.connections import (
    OrderInputs,
    manifest_key,
    service_owner,
    store_order_from_fields,
)
from .contents import contents_step

#: The settings that a step which fails points to, where the kind has them and the error names none.
_FIELDS = {
    "resolve": ("address", "endpoint", "url"),
    "connect": ("address", "endpoint", "url"),
    "server": ("host_key", "certificate"),
    "sign in": ("password", "secret_key"),
    "mount": ("mount_command",),
    "folder": ("folder", "url"),
    "store": ("folder", "url"),
}


def draft_spec(sources: OrderInputs, body: StoreInput, saved: str | None) -> StoreSpec:
    """Return the order for a store from a form, with the secrets of the saved store."""
    check_store(body)
    if body.recipients:
        Sealer(body.recipients)
    _check_copying(sources, body)
    db, cipher = sources.db, sources.cipher
    old = stores.secrets(db, cipher, saved) if saved else {}
    store_id = stores.id_of(db, saved) if saved else None
    return store_order_from_fields(sources, body, merged(old, body.secrets), store_id or "").spec()


def _check_copying(sources: OrderInputs, body: StoreInput) -> None:
    """Check that the source of copying exists and is another store."""
    if not body.copy_from:
        return
    if body.copy_from == body.name:
        raise SettingError(
            "A store cannot be copied to itself.", "Name another one.", field="copy_from"
        )
    try:
        source = stores.fields(sources.db, body.copy_from)
    except MissingError as error:
        raise SettingError(error.message, error.hint, field="copy_from") from error
    if body.copy_move and source.append_only:
        refused = append_only_error(source.name, "bundles can be copied from it, not moved")
        raise SettingError(refused.message, refused.hint, field="copy_move")


def try_spec(sources: OrderInputs, spec: StoreSpec, store_id: str | None) -> TryResult:
    """Try a store; of one that is new (``store_id`` is None), say what it holds already."""
    try:
        steps, host_key = outside.try_out(_tried, spec, store_id, manifest_key(sources.cipher))
    except FasciculusError as error:
        step = TryStep(name="settings", ok=False, text=error.message, hint=error.hint)
        return TryResult(ok=False, steps=[step])
    return TryResult(
        ok=all(step.ok for step in steps),
        steps=[
            TryStep(
                name=step.name,
                ok=step.ok,
                text=step.text,
                hint=step.hint,
                seconds=round(step.seconds, 4),
                field=_place(step.field, spec),
            )
            for step in steps
        ],
        host_key=host_key,
    )


def _tried(spec: StoreSpec, store_id: str | None, key: bytes) -> tuple[list[Step], str]:
    """Return the steps of trying a store, and the host key that it showed."""
    store = open_unguarded(spec)
    try:
        with outside.trial_time():
            steps = try_store(store, store_id, make_root=True)
            if store_id is None and all(step.ok for step in steps):
                held = contents_step(store, key)
                steps += [held] if held is not None else []
    finally:
        store.close()
    return steps, getattr(store, "seen_key", "")


def prove(sources: OrderInputs, body: StoreInput, saved: str | None) -> ProvedStore:
    """Prove that a store works and mark it as ours. Raises ``SettingError`` at its field."""
    spec = draft_spec(sources, body, saved)
    expected = stores.id_of(sources.db, saved) if saved else None
    tried = try_spec(sources, spec, expected or "")
    if not tried.ok:
        failed = next(step for step in tried.steps if not step.ok)
        raise SettingError(
            failed.text, failed.hint, field=failed.field or _field_of(failed.name, spec)
        )
    return mark(sources, spec, expected, saved)


def unproved(sources: OrderInputs, body: StoreInput, saved: str | None) -> ProvedStore:
    """Return the same without trying anything: it is saved, and shown as untried."""
    spec = draft_spec(sources, body, saved)
    known = stores.id_of(sources.db, saved) if saved else None
    return ProvedStore(spec.settings.describe(), known or stores.new_id(), tried=False)


def mark(
    sources: OrderInputs, spec: StoreSpec, expected: str | None, saved: str | None
) -> ProvedStore:
    """Write into a store that it is ours, unless it has an owner; gives its id, and whose it is."""
    ours = service_owner(sources.db)
    new_id = expected or stores.new_id()
    found, owner = outside.call(_marked, spec, new_id, ours, bool(saved))
    if taken := stores.name_of_id(sources.db, found, saved):
        raise SettingError(
            f"That folder is the store “{taken}” already.",
            "Name another folder.",
            field=_field_of("folder", spec),
        )
    whose = owner.words() if owner is not None else "an earlier Fasciculus"
    if owner is not None and owner.id == ours.id:
        whose = ""
    return ProvedStore(spec.settings.describe(), found, owner=whose)


def _marked(
    spec: StoreSpec, new_id: str, ours: StoreOwner, is_known: bool
) -> tuple[str, StoreOwner | None]:
    """Mark a store, and make it ours if it is known or empty; gives its id and owner."""
    with connected(open_store(spec)) as store:
        write_identity(store, new_id, ours)
        found, owner = read_identity(store), read_owner(store)
        if owner is None and (is_known or contents_step(store, b"") is None):
            claim(store, ours)
            owner = ours
    return found, owner


def claim_store(sources: OrderInputs, spec: StoreSpec) -> None:
    """Claim a store from any other installation."""
    outside.call(_claimed, spec, service_owner(sources.db))


def _claimed(spec: StoreSpec, owner: StoreOwner) -> None:
    with connected(open_store(spec)) as store:
        claim(store, owner)


def _place(field: str, spec: StoreSpec) -> str:
    """Return the field of a form that an error names."""
    if field in StoreInput.model_fields:
        return field
    if field in type(spec.settings).model_fields:
        return f"settings.{field}"
    return f"secrets.{field}" if field else ""


def _field_of(step: str, spec: StoreSpec) -> str | None:
    names = _FIELDS.get(step, ())
    settings = type(spec.settings).model_fields
    return next((_place(name, spec) for name in names if name in settings), None)
