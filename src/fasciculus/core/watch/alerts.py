"""The life of alerts: opened, reported, reported again, closed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime, timedelta, tzinfo

from ..schedule.restrictions import Hours
from .finding import Finding


@dataclass(frozen=True, slots=True)
class OpenAlert:
    """An open alert. ``told`` is the time of its last message."""

    key: str
    opened: datetime
    told: datetime | None = None
    acknowledged: bool = False
    text: str = ""


@dataclass(slots=True)
class AlertActions:
    """The actions to take now. ``told`` and ``closed`` alerts are reported, ``reminded`` ones
    reported again; alerts that open or close in quiet hours are reported afterwards.
    """

    opened: list[Finding] = field(default_factory=list)
    changed: list[Finding] = field(default_factory=list)
    told: list[str] = field(default_factory=list)
    reminded: list[str] = field(default_factory=list)
    closed: list[str] = field(default_factory=list)
    quiet: bool = False


def reconcile(
    findings: Sequence[Finding],
    known: Sequence[OpenAlert],
    first_seen: Mapping[str, datetime],
    now: datetime,
    *,
    quiet: Hours | None = None,
    zone: tzinfo | None = None,
    remind: timedelta | None = None,
) -> AlertActions:
    """Hold what is found now against the open alerts.

    ``first_seen`` says since when each finding lasts, by its key. An alert that closed before it
    was reported is closed silently. ``remind`` is the interval for reporting unacknowledged alerts
    again.
    """
    actions = AlertActions()
    found = {finding.key: finding for finding in findings}
    open_ones = {alert.key: alert for alert in known}
    actions.quiet = is_quiet = (
        quiet is not None and now.astimezone(zone).time().replace(fold=0) in quiet
    )
    for key, finding in found.items():
        if key not in open_ones:
            if now - first_seen.get(key, now) < finding.after:
                continue
            actions.opened.append(finding)
            if not is_quiet and not finding.silent:
                actions.told.append(key)
            continue
        alert = open_ones[key]
        if alert.text != finding.text:
            actions.changed.append(finding)
        if is_quiet or finding.silent or alert.acknowledged:
            continue
        if alert.told is None:
            actions.told.append(key)
        elif remind and now - alert.told >= remind:
            actions.reminded.append(key)
    actions.closed = [key for key in open_ones if key not in found]
    return actions
