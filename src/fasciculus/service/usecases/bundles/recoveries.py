"""Recoveries: a lost host with all of its accounts brought back."""

from __future__ import annotations

import sqlite3

from ....core.errors import AlreadyEndedError
from ....core.recovery.progress import recovery_state
from ....core.subject import Subject, SubjectKind
from ....models import Page, Recovery, RecoveryStart, RecoverySubject
from ....records import inventory
from ....records.runs import recoveries
from ....records.runs.recoveries import LastRestore
from ..caller import Caller


def recoveries_list(caller: Caller) -> Page[Recovery]:
    """Return recoveries, newest first, without their subjects."""
    rows = recoveries.recoveries(caller.reader)
    return Page(items=rows, total=len(rows))


def recoveries_start(caller: Caller, body: RecoveryStart) -> Recovery:
    """Begin a recovery of a host: from now on no run begins on it."""
    inventory.host(caller.reader, caller.cipher, body.host)
    with caller.write() as db:
        number = recoveries.start(db, body.host, caller.name)
    return _changed(caller, number, "started a recovery")


def recoveries_show(caller: Caller, number: int) -> Recovery:
    """Return a recovery, with the state of each subject."""
    found = recoveries.recovery(caller.reader, number)
    last = recoveries.last_restores(caller.reader, number)
    found.subjects = [
        _subject(caller.reader, subject, last.get(subject))
        for subject in recoveries.subjects_of(caller.reader, found.host)
        if subject.kind != SubjectKind.HOST or _has_bundle(caller.reader, subject)
    ]
    return found


def _has_bundle(db: sqlite3.Connection, subject: Subject) -> bool:
    return recoveries.recoverable(db, subject) is not None


def _subject(
    db: sqlite3.Connection, subject: Subject, restore: LastRestore | None
) -> RecoverySubject:
    bundle = recoveries.recoverable(db, subject)
    state = recovery_state(
        bundle is not None,
        restore.state if restore else None,
        restore.outcome if restore else None,
    )
    return RecoverySubject(
        kind=subject.kind,
        name=subject.name,
        state=state,
        bundle=bundle.number if bundle else None,
        moment=bundle.moment if bundle else None,
        contents=bundle.contents if bundle else [],
        missing=bundle.missing if bundle else [],
        restore=restore.number if restore else None,
        error=restore.error if restore else "",
    )


def recoveries_end(caller: Caller, number: int) -> Recovery:
    """End a recovery: runs begin on its host again."""
    if recoveries.recovery(caller.reader, number).ended:
        raise AlreadyEndedError(f"Recovery {number} has ended already.", "There is nothing to end.")
    with caller.write() as db:
        recoveries.end(db, number)
    return _changed(caller, number, "ended a recovery")


def _changed(caller: Caller, number: int, action: str) -> Recovery:
    found = recoveries_show(caller, number)
    caller.note(action, f"host {found.host}")
    caller.service.scheduler.refresh()
    caller.changed("recoveries")
    return found
