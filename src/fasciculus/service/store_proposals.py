"""Accepts hosts, accounts and jobs that a store tells of.

Whoever writes to a store decides what it tells. So nothing is added before a person has seen it
with its host and root, and a root that only an unvouched bundle names is never used on a host that
is known already: the service would read that folder, as root, into bundles for that same store.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence
from typing import Any

from pydantic import ValidationError

from ..core.discovery.accounts import rule_glob
from ..core.errors import FasciculusError, MissingError, SettingError
from ..models import (
    AcceptedProposals,
    AccountInput,
    Database,
    HostInput,
    JobInput,
    KindSettings,
    ProposalChoice,
    Site,
)
from ..models.validation import field_errors
from ..records import inventory, jobs, store_proposals
from ..records.encryption import SecretCipher
from ..records.store_proposals import FoundProposal


def chosen(db: sqlite3.Connection, store: str, choice: ProposalChoice) -> list[FoundProposal]:
    """Return the proposals of a choice. Raises ``SettingError`` for a name that is not proposed."""
    rows = store_proposals.proposals(db, store)
    if choice.all:
        return rows
    found = []
    for kind, names in (
        ("host", choice.hosts),
        ("account", choice.accounts),
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
            store_proposals.remove(db, store, [row])
        except (FasciculusError, ValidationError, sqlite3.IntegrityError) as error:
            db.execute("ROLLBACK TO proposal")
            made.refused.append(f"{row.kind} {row.name}: {_reason(error)}")
        finally:
            db.execute("RELEASE proposal")
    return made


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
        return _host(db, cipher, row.name)
    if row.kind == "account":
        return _account(db, cipher, row, home)
    return _job(db, store, row)


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
    if home:
        account = AccountInput(name=row.name, host=row.host, home=home)
    elif row.vouched or is_new:
        account = _as_told(row)
    else:
        account = AccountInput(
            name=row.name, host=row.host, home=_by_rules(row, host.finding.homes)
        )
    inventory.save_account(db, account)
    return [*made, f"account {row.name} ({account.home} on {row.host})"]


def _by_rules(row: FoundProposal, rules: Sequence[str]) -> str:
    """The home that a host's own rules give to an account."""
    for rule in rules:
        if rule_glob(rule).count("*") == 1:
            return rule.replace("{account}", row.name)
    raise SettingError(
        "The records do not vouch for the bundle that names its home "
        f"({row.document.get('root')}), and host “{row.host}” has no rule for homes.",
        f"Say where it is: --home {row.name}=FOLDER",
    )


def _as_told(row: FoundProposal) -> AccountInput:
    """The account as its bundle tells of it; one odd field costs the details, not the account."""
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


def _job(db: sqlite3.Connection, store: str, row: FoundProposal) -> list[str]:
    """A job, switched off, of those of its subjects that are known."""
    told = row.document
    table = {"accounts": "account", "sites": "site", "hosts": "host"}[told["subjects"]]
    known = {found["name"] for found in db.execute(f"SELECT name FROM {table}")}
    job = JobInput(
        name=row.name,
        subjects=told["subjects"],
        choice="listed",
        names=[name for name in told["names"] if name in known],
        contents=told["contents"],
        stores=[store],
        timetable="by hand",
        mode=told["mode"],
        keep="1000 newest",
        enabled=False,
    )
    jobs.save_job(db, job)
    return [f"job {row.name}, switched off"]
