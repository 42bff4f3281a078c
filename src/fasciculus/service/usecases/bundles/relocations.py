"""Proposals for restores to another place, and the checks of such places."""

from __future__ import annotations

from ....core.errors import SettingError
from ....core.subject import SubjectKind
from ....models import BundleDetail, RelocationAsk, RelocationProposal, RestoreStart
from ...relocations import account_within, propose
from ...tasks.orders.subjects import FoundSubject, find_subject
from ..caller import Caller


def restores_relocation(caller: Caller, body: RelocationAsk) -> RelocationProposal:
    """Propose where everything goes; nothing is changed."""
    return propose(caller.reader, body, caller.scope)


def check_relocation(caller: Caller, body: RestoreStart, bundle: BundleDetail) -> FoundSubject:
    """Check the place of a restore, and return it."""
    moves = body.relocation
    assert moves is not None
    account_within(caller.reader, moves.account, caller.scope)
    found = find_subject(caller.order_inputs(), SubjectKind.ACCOUNT, moves.account)
    if body.whole_account or bundle.subject_kind == SubjectKind.HOST:
        raise SettingError(
            "A whole account with its user and settings comes back only where it was.",
            "Restore its files and databases into another account.",
            field="whole_account",
        )
    outside = [path for path in body.paths if not _is_inside(path, moves.from_folder)]
    if outside:
        raise SettingError(
            f"“{outside[0]}” is not in {moves.from_folder}, which goes to another place.",
            "Name paths inside of it, or none.",
            field="paths",
        )
    if moves.from_folder and not body.paths:
        body.paths = [moves.from_folder]
    if not moves.beside and moves.account == bundle.subject and not moves.to_folder:
        raise SettingError(
            "That is the place where it was.",
            "Name another account or folder, or leave the other place out.",
            field="account",
        )
    return found


def _is_inside(path: str, folder: str) -> bool:
    return not folder or path == folder or path.startswith(f"{folder}/")
