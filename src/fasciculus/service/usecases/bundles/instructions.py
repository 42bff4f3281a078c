"""How to bring one bundle back."""

from __future__ import annotations

from ....core import instructions
from ....core.instructions import InstructedBundle, Instruction
from ....core.subject import Subject
from ....models import BundleDetail, Instructions, InstructionStep, Store
from ....records.bundles import bundles
from ....records.stores import stores
from ..caller import Caller


def bundles_instructions(caller: Caller, bundle_id: int) -> Instructions:
    """Return how to bring a bundle back, with Fasciculus and by hand."""
    bundle = bundles.bundle(caller.reader, bundle_id, caller.scope)
    names = [copy.store for copy in bundle.copies]
    copies = [stores.store(caller.reader, caller.cipher, name) for name in names]
    facts = _facts(bundle, copies, caller.scope.is_everything)
    return Instructions(
        with_fasciculus=_steps(instructions.with_fasciculus(facts)),
        by_hand=_steps(instructions.by_hand(facts)),
    )


def _facts(bundle: BundleDetail, copies: list[Store], is_operator: bool) -> InstructedBundle:
    """Return the facts; where stores are is for those who see everything."""
    folders = [
        str(store.settings.model_dump().get("folder", ""))
        for store in copies
        if store.settings.kind == "folder"
    ]
    return InstructedBundle(
        bundle.id,
        Subject(bundle.subject_kind, bundle.subject),
        bundle.name,
        bundle.brings == "full",
        bool(bundle.sealed_to),
        list(bundle.contents),
        [piece.name for piece in bundle.pieces],
        [(store.name, store.where if is_operator else "") for store in copies],
        folders[0] if folders and is_operator else "",
        [(d.engine, d.name) for d in bundle.databases if not d.origin],
    )


def _steps(rows: list[Instruction]) -> list[InstructionStep]:
    return [InstructionStep(title=r.title, commands=r.commands, note=r.note) for r in rows]
