"""Proposals for restores to another place, and the checks of such places."""

from __future__ import annotations

import os
import re

from ....core.errors import MissingError, SettingError
from ....core.subject import SubjectKind
from ....models import (
    Account,
    BundleDetail,
    Relocation,
    RelocationAsk,
    RelocationProposal,
    RestoreStart,
    Site,
)
from ....records import inventory
from ....records.bundles import bundles
from ...tasks.orders.subjects import FoundSubject, find_subject
from ..caller import Caller

#: Files in which sites keep addresses, paths and the access to their databases.
_CONFIGURATION = [
    "*config*.php",
    "configuration.php",
    "settings*.php",
    "config*.inc*",
    ".env*",
    ".htaccess",
    ".user.ini",
    "*.ini",
    "*.conf",
    "config*.json",
    "config*.y*ml",
]
_LONGEST_DATABASE = 64


def restores_relocation(caller: Caller, body: RelocationAsk) -> RelocationProposal:
    """Propose where everything goes; nothing is changed."""
    bundle = bundles.bundle(caller.reader, body.bundle, caller.scope)
    if bundle.subject_kind == SubjectKind.HOST:
        raise SettingError(
            "A host's settings have no other place.", "Restore them to a folder (--to).", "bundle"
        )
    owner = bundle.subject
    if bundle.subject_kind == SubjectKind.SITE:
        owner = inventory.account_of_site(caller.reader, bundle.subject)
    source = inventory.account(caller.reader, owner)
    if body.account and body.account != source.name:
        return _moved(source, bundle, _account(caller, body.account), body)
    if not body.address:
        raise SettingError(
            "A copy next to the original needs another address.",
            "Name one, such as try.millpond.example.",
            field="address",
        )
    return _beside(source, bundle, body)


def _account(caller: Caller, name: str) -> Account:
    if not caller.scope.has_account(name):
        raise MissingError(f"There is no account “{name}”.", "“accounts list” names them.")
    return inventory.account(caller.reader, name)


def _site(account: Account, bundle: BundleDetail, body: RelocationAsk) -> Site:
    wanted = body.site or (bundle.subject if bundle.subject_kind == SubjectKind.SITE else "")
    sites = [site for site in account.sites if site.name == wanted or not wanted]
    if len(sites) != 1:
        names = ", ".join(site.name for site in account.sites) or "none"
        raise SettingError(
            f"Choose the site to copy; {account.name} has: {names}.",
            "Name one of them (--site).",
            field="site",
        )
    return sites[0]


def _beside(account: Account, bundle: BundleDetail, body: RelocationAsk) -> RelocationProposal:
    site = _site(account, bundle, body)
    label = re.sub(r"[^a-z0-9]", "", body.address.split(".")[0].lower())[:12] or "copy"
    root = account.home if bundle.subject_kind == SubjectKind.ACCOUNT else site.root
    inside = os.path.relpath(site.root, account.home)
    if inside == ".":
        raise SettingError(
            f"{site.name} is served from the home itself: there is no place next to it.",
            "Restore it into another account (--into).",
            field="site",
        )
    own = [d for d in account.databases if not d.path]
    if len(account.sites) > 1:
        own = [d for d in own if d.site == site.name]
    bundled = {d.name for d in bundle.databases if not d.origin}
    names = {d.name: _new_name(d.name, label) for d in own if d.name in bundled}
    texts = {site.name: body.address, f"www.{site.name}": body.address}
    texts[site.root] = f"{site.root}-{label}"
    return RelocationProposal(
        relocation=Relocation(
            account=account.name,
            from_folder="" if root == site.root else os.path.relpath(site.root, root),
            to_folder=f"{inside}-{label}",
            beside=True,
            address=body.address,
            site=site.name,
            texts=texts,
            names=names,
            files=_CONFIGURATION,
            user_suffix=f"_{label}",
        ),
        databases=names,
    )


def _new_name(name: str, label: str) -> str:
    return f"{name[: _LONGEST_DATABASE - len(label) - 1]}_{label}"


def _moved(
    source: Account, bundle: BundleDetail, target: Account, body: RelocationAsk
) -> RelocationProposal:
    before, after = f"{source.name}_", f"{target.name}_"
    names = {}
    for found in bundle.databases:
        if not found.origin:
            rest = found.name.removeprefix(before)
            names[found.name] = f"{after}{rest}"[:_LONGEST_DATABASE]
    texts = {source.home: target.home} if source.home != target.home else {}
    to_folder = ""
    if bundle.subject_kind == SubjectKind.SITE:
        site = _site(source, bundle, body)
        to_folder = os.path.relpath(site.root, source.home)
        texts = {site.root: os.path.join(target.home, to_folder)}
    if body.address:
        site = _site(source, bundle, body)
        texts |= {site.name: body.address, f"www.{site.name}": body.address}
    return RelocationProposal(
        relocation=Relocation(
            account=target.name,
            to_folder="" if to_folder == "." else to_folder,
            address=body.address,
            site=body.site,
            texts=texts,
            names={old: new for old, new in names.items() if old != new},
            files=_CONFIGURATION,
            user_names={source.name: target.name},
            user_prefix=(before, after),
        ),
        databases=names,
        owners={source.name: target.name},
    )


def check_relocation(caller: Caller, body: RestoreStart, bundle: BundleDetail) -> FoundSubject:
    """Check the place of a restore, and return it."""
    moves = body.relocation
    assert moves is not None
    _account(caller, moves.account)
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
