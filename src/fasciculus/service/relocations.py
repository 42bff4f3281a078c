"""Proposals for restores to another place: a copy next to the original, or another account."""

from __future__ import annotations

import os
import re
import sqlite3

from ..core.errors import MissingError, SettingError
from ..core.scope import EVERYTHING, Scope
from ..core.subject import SubjectKind
from ..models import (
    Account,
    BundleDetail,
    Relocation,
    RelocationAsk,
    RelocationProposal,
    Site,
)
from ..records import inventory
from ..records.bundles import bundles

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


def propose(
    db: sqlite3.Connection, body: RelocationAsk, scope: Scope = EVERYTHING
) -> RelocationProposal:
    """Propose where everything of a bundle goes; nothing is changed.

    Raises ``SettingError`` if there is no such place, and ``MissingError`` for an account outside
    of the scope.
    """
    bundle = bundles.bundle(db, body.bundle, scope)
    if bundle.subject_kind == SubjectKind.HOST:
        raise SettingError(
            "A host's settings have no other place.", "Restore them to a folder (--to).", "bundle"
        )
    owner = bundle.subject
    if bundle.subject_kind == SubjectKind.SITE:
        owner = inventory.account_of_site(db, bundle.subject)
    source = inventory.account(db, owner)
    if body.account and body.account != source.name:
        return _moved(source, bundle, account_within(db, body.account, scope), body)
    if not body.address:
        raise SettingError(
            "A copy next to the original needs another address.",
            "Name one, such as try.millpond.example.",
            field="address",
        )
    return _beside(source, bundle, body)


def account_within(db: sqlite3.Connection, name: str, scope: Scope) -> Account:
    """Return an account of a scope. Raises ``MissingError`` for others."""
    if not scope.has_account(name):
        raise MissingError(f"There is no account “{name}”.", "“accounts list” names them.")
    return inventory.account(db, name)


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
