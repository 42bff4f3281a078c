"""Acceptance of hosts, accounts, stores and jobs that a store proposes.

Anyone who can write to a store decides what it proposes. So nothing is added before a person has
seen it with its host and root, and a root that only an unvouched bundle names is never used on a
host that is known already: the service would read that folder, as root, into bundles for that same
store.
"""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

from ....core.discovery.accounts import rule_glob
from ....core.errors import FasciculusError, MissingError, SettingError
from ....core.formatting import format_list
from ....core.selection import is_name
from ....core.subject import SubjectKind
from ....models import (
    AcceptedProposals,
    AccountInput,
    Database,
    HostInput,
    JobInput,
    KindSettings,
    ProposalChoice,
    Site,
    StoreInput,
)
from ....models.validation import field_errors
from ....records import inventory
from ....records.jobs import jobs
from ....records.secret_cipher import SecretCipher
from ....records.stores import store_proposals, stores
from ....records.stores.store_proposals import FoundProposal
from ....records.stores.stores import ProvedStore
from ...settings.kind_settings import check_host, check_store


def chosen(db: sqlite3.Connection, store: str, choice: ProposalChoice) -> list[FoundProposal]:
    """Return the proposals of a choice. Raises ``SettingError`` for a name that is not proposed."""
    rows = store_proposals.proposals(db, store)
    if choice.all:
        return rows
    found = []
    for kind, names in (
        ("host", choice.hosts),
        ("account", choice.accounts),
        ("store", choice.stores),
        ("job", choice.jobs),
    ):
        known = {row.name: row for row in rows if row.kind == kind}
        for name in names:
            if name not in known:
                raise SettingError(
                    f"Store “{store}” proposes no {kind} “{name}”.",
                    f"It proposes: {', '.join(sorted(known)[:12]) or 'none'}.",
                    field=f"{kind}s",
                )
            found.append(known[name])
    return found


def accept(
    db: sqlite3.Connection, cipher: SecretCipher, store: str, choice: ProposalChoice
) -> AcceptedProposals:
    """Add what was chosen. One that cannot be added costs itself and stays a proposal."""
    made = AcceptedProposals(added=[])
    for row in chosen(db, store, choice):
        db.execute("SAVEPOINT proposal")
        try:
            made.added += _added(db, cipher, store, row, choice.homes.get(row.name, ""))
            made.needed += _needed(row)
            store_proposals.remove(db, store, [row])
        except (FasciculusError, ValidationError, sqlite3.IntegrityError) as error:
            db.execute("ROLLBACK TO proposal")
            made.refused.append(f"{row.kind} {row.name}: {_reason(error)}")
        finally:
            db.execute("RELEASE proposal")
    return made


def _needed(row: FoundProposal) -> list[str]:
    """Return what a bundle does not know of a thing, with the command that sets it."""
    if _settings(row):
        return []
    if row.kind == "host":
        return [
            f"host {row.name}: how to reach it, its database server and mail files (fasciculus "
            f"hosts change {row.name} --kind …)"
        ]
    if row.kind == "job":
        return [
            f"job {row.name}: timetable, keep rule, excludes and recipients (fasciculus jobs "
            f"change {row.name} …), then fasciculus jobs enable {row.name}"
        ]
    return []


def _reason(error: Exception) -> str:
    if isinstance(error, FasciculusError):
        return error.sentence()
    if isinstance(error, ValidationError):
        return "; ".join(f"{row.field}: {row.message}" for row in field_errors(error))
    return "something of that name is there already."


def _added(
    db: sqlite3.Connection, cipher: SecretCipher, store: str, row: FoundProposal, home: str
) -> list[str]:
    if row.kind == "host":
        return _told_host(db, cipher, row) or _host(db, cipher, row.name)
    if row.kind == "account":
        return _account(db, cipher, row, home)
    if row.kind == "store":
        return _told_store(db, cipher, row)
    return _told_job(db, store, row) or _job(db, store, row)


def _settings(row: FoundProposal) -> dict[str, Any]:
    """Return the settings from a copy of the records; empty if it has none."""
    found: dict[str, Any] = json.loads(row.document.get("settings") or "{}")
    return found


def _told_host(db: sqlite3.Connection, cipher: SecretCipher, row: FoundProposal) -> list[str]:
    if not (settings := _settings(row)):
        return []
    host = HostInput(**{**settings, "secrets": cipher.decrypt(row.document["sealed"])})
    inventory.save_host(db, cipher, host, check_host(host).describe())
    return [f"host {row.name}, unchanged"]


def _told_store(db: sqlite3.Connection, cipher: SecretCipher, row: FoundProposal) -> list[str]:
    settings, secrets = _settings(row), cipher.decrypt(row.document["sealed"])
    found = StoreInput(**{**settings, "secrets": secrets})
    where = check_store(found).describe()
    if found.copy_from and found.copy_from not in stores.store_ids(db):
        found.copy_from = ""
    stores.save_store(db, cipher, found, ProvedStore(where, row.document["id"], tried=False))
    return [f"store {row.name}, untried"]


def _told_job(db: sqlite3.Connection, store: str, row: FoundProposal) -> list[str]:
    """Return a job with all that was set, switched off; what is not here is left out of it, and
    named.
    """
    if not (settings := _settings(row)):
        return []
    marks = {found["mark"]: found["name"] for found in db.execute("SELECT name, mark FROM store")}
    names = {
        name: marks.get(mark) or (name if name in marks.values() else "")
        for name, mark in row.document["store_ids"].items()
    }
    here = [name for name in names.values() if name] or [store]
    lacking = [f"store {name}" for name, found in names.items() if not found]
    kind = SubjectKind(settings["subjects"][:-1])
    subjects = {subject.name for subject in inventory.subjects(db, kind)}
    gone = [text for text in settings["names"] if is_name(text) and text not in subjects]
    known = {found["name"] for found in db.execute("SELECT name FROM channel")}
    lacking += [f"channel {name}" for name in settings["channels"] if name not in known]
    job = JobInput(
        **{
            **settings,
            "stores": here,
            "keep_on": {
                names[name]: rule for name, rule in settings["keep_on"].items() if names.get(name)
            },
            "names": [text for text in settings["names"] if text not in gone],
            "channels": [name for name in settings["channels"] if name in known],
            "enabled": False,
        }
    )
    jobs.save_job(db, job)
    without = f", without {format_list([*lacking, *gone])}" if lacking or gone else ""
    return [f"job {row.name} unchanged, but disabled{without}"]


def _host(db: sqlite3.Connection, cipher: SecretCipher, name: str) -> list[str]:
    unconnected = KindSettings(kind="unconnected")
    host = HostInput(name=name, connection=unconnected)
    inventory.save_host(db, cipher, host, "not connected yet")
    return [f"host {name}, not connected yet"]


def _account(
    db: sqlite3.Connection, cipher: SecretCipher, row: FoundProposal, home: str
) -> list[str]:
    made = []
    try:
        host = inventory.host(db, cipher, row.host)
    except MissingError:
        made += _host(db, cipher, row.host)
        host = inventory.host(db, cipher, row.host)
    is_new = host.connection.kind == "unconnected"
    if settings := _settings(row):
        fields = {key: settings[key] for key in AccountInput.model_fields if key in settings}
        account = AccountInput(**{**fields, **({"home": home} if home else {})})
    elif home:
        account = AccountInput(name=row.name, host=row.host, home=home)
    elif row.vouched or is_new:
        account = _as_told(row)
    else:
        account = AccountInput(
            name=row.name, host=row.host, home=_by_rules(row, host.discovery.homes)
        )
    inventory.save_account(db, account)
    return [*made, f"account {row.name} ({account.home} on {row.host})"]


def _by_rules(row: FoundProposal, rules: Sequence[str]) -> str:
    """Return the home that a host's own rules give to an account."""
    for rule in rules:
        if rule_glob(rule).count("*") == 1:
            return rule.replace("{account}", row.name)
    raise SettingError(
        "The records do not vouch for the bundle that names its home "
        f"({row.document.get('root')}), and host “{row.host}” has no rule for homes.",
        f"Give its home: --home {row.name}=FOLDER",
    )


def _as_told(row: FoundProposal) -> AccountInput:
    """Return the account as its bundle describes it; an invalid field costs the details, not the
    account.
    """
    told: dict[str, Any] = row.document
    bare = AccountInput(name=row.name, host=row.host, home=told.get("root") or f"/home/{row.name}")
    try:
        return AccountInput(
            name=row.name,
            host=row.host,
            home=bare.home,
            sites=[Site(name=name, root=root) for name, root in told["sites"].items()],
            mail_domains=told["mail_domains"],
            databases=[Database(**database) for database in told["databases"]],
        )
    except (ValidationError, KeyError, TypeError, AttributeError):
        return bare


def _stores_of(db: sqlite3.Connection, job: str, store: str) -> list[str]:
    """Return the stores that hold bundles of a job, the one that proposes it first."""
    rows = db.execute(
        "SELECT DISTINCT store.name FROM store JOIN copy ON copy.store_id=store.id "
        "JOIN bundle ON bundle.id=copy.bundle_id WHERE bundle.job=? ORDER BY store.name",
        (job,),
    )
    return list(dict.fromkeys([store, *(row["name"] for row in rows)]))


def _job(db: sqlite3.Connection, store: str, row: FoundProposal) -> list[str]:
    """Return a job, switched off, of those of its subjects that are known."""
    told = row.document
    table = {"accounts": "account", "sites": "site", "hosts": "host"}[told["subjects"]]
    known = {found["name"] for found in db.execute(f"SELECT name FROM {table}")}
    job = JobInput(
        name=row.name,
        subjects=told["subjects"],
        choice="listed",
        names=[name for name in told["names"] if name in known],
        contents=told["contents"],
        stores=_stores_of(db, row.name, store),
        timetable="by hand",
        mode=told["mode"],
        keep="1000 newest",
        enabled=False,
    )
    jobs.save_job(db, job)
    return [f"job {row.name}, switched off"]
