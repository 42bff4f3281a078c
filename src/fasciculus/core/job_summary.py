"""The summary sentence of a job, and what is unwise about it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta

from .dump.filters import DatabaseRules
from .file_filters import FileRules
from .formatting import format_count, format_first, format_list, format_size
from .retention import KeepRule
from .schedule import Schedule
from .selection import is_name

_NEAR = timedelta(minutes=5)
_TOLD = {
    "always": "each time",
    "trouble": "when something is wrong",
    "recovery": "when something is wrong and when it is well again",
    "daily": "once a day",
    "weekly": "once a week",
    "monthly": "once a month",
}
_SHOWN = 4


def summary(
    *,
    subjects: str,
    choice: str,
    names: Sequence[str],
    covers: int,
    contents: Sequence[str],
    messages: bool,
    rules: FileRules,
    databases: DatabaseRules,
    hold_page: bool,
    full_every: int,
    timetable: Schedule,
    zone: str,
    held: Sequence[str],
    stores: Sequence[str],
    keep: Mapping[str, KeepRule],
    report_to: Sequence[str],
    report_when: str,
    enabled: bool,
) -> str:
    """Return the one sentence in which a job says what it will do; ``full_every`` is 0 for a job of
    full bundles, ``held`` are clauses on what holds its starts back, ``keep`` has a rule for each
    store.
    """
    whom = _chosen(subjects, choice, names, covers)
    words = {
        "files": "files" + _file_exceptions(rules),
        "mail": "mail settings with the messages" if messages else "mail settings",
        "system": "system settings",
        "databases": (
            "the structure of databases"
            if databases.structure_only
            else "all databases"
            if subjects == "hosts"
            else "databases"
        )
        + _database_exceptions(databases),
    }
    kinds = [words.get(kind, kind) for kind in contents]
    when = timetable.words[0].upper() + timetable.words[1:]
    if timetable.automatic:
        when += f" ({zone} time)" + "".join(f", {clause}" for clause in held)
    told = (
        f"and mails {format_list(report_to)} {_TOLD[report_when]}"
        if report_to
        else "and sends no mail"
    )
    sentence = (
        f"{when}, it bundles {format_list(kinds)} of {whom} to {format_list(stores)}, "
        + ("sets the sites' hold page meanwhile, " if hold_page else "")
        + (
            f"stores only what changed, with a new full bundle every {full_every} days, "
            if full_every
            else ""
        )
        + f"keeps {_kept(keep)}, {told}."
    )
    return sentence if enabled else f"Switched off. If enabled: {sentence[0].lower()}{sentence[1:]}"


def _chosen(subjects: str, choice: str, selectors: Sequence[str], covers: int) -> str:
    """Return which subjects a job covers, in words."""
    if choice == "all":
        return f"all {subjects} ({covers} now)"
    names = [text for text in selectors if is_name(text)]
    wider = _wider(selectors)
    if wider and names:
        wider.append(f"are named {_few(names, 'or')}")
    those = f"those that {format_list(wider, 'or')}" if wider else _few(names)
    if choice == "all_but":
        return f"all {subjects} but {those} ({covers} now)"
    if wider:
        return f"the {subjects} that {format_list(wider, 'or')} ({covers} now)"
    return f"the {subjects[:-1] if len(names) == 1 else subjects} {those}"


def _wider(selectors: Sequence[str]) -> list[str]:
    """Return what hosts, tags and patterns choose, each as a verb and its object."""
    by_kind: dict[str, list[str]] = {"are on": [], "have the tag": [], "match": []}
    for text in selectors:
        kind, colon, name = text.partition(":")
        if colon:
            by_kind["are on" if kind == "host" else "have the tag"].append(name)
        elif not is_name(text):
            by_kind["match"].append(text)
    return [f"{verb} {_few(found, 'or')}" for verb, found in by_kind.items() if found]


def _few(names: Sequence[str], joined: str = "and") -> str:
    return format_first(names, _SHOWN, joined)


def _kept(rules: Mapping[str, KeepRule]) -> str:
    by_rule: dict[str, list[str]] = {}
    for store, rule in rules.items():
        by_rule.setdefault(rule.words, []).append(store)
    if len(by_rule) == 1:
        return f"{next(iter(by_rule))} of each there"
    return "of each " + format_list(
        [f"{words} on {format_list(stores)}" for words, stores in by_rule.items()]
    )


def held_back(
    first_day: date | None, last_day: date | None, hours: str, days_off: int, spread: int
) -> list[str]:
    """Return what holds the starts of a job back, as clauses."""
    rows = [f"within {hours} only"] if hours else []
    rows += [f"from {first_day} on"] if first_day else []
    rows += [f"until {last_day}"] if last_day else []
    rows += [f"not on {format_count(days_off, 'stated day')}"] if days_off else []
    rows += [f"spread over {format_count(spread, 'minute')}"] if spread else []
    return rows


def _file_exceptions(rules: FileRules) -> str:
    """In brackets, what of the files stays out or alone goes in; empty when nothing does."""
    out = list(rules.sets)
    if rules.excludes:
        out.append(
            f"what {format_count(len(rules.excludes), 'pattern')} "
            f"{'matches' if len(rules.excludes) == 1 else 'match'}"
        )
    if rules.larger_than:
        out.append(f"those larger than {format_size(rules.larger_than)}")
    if rules.older_than:
        out.append(f"those older than {format_count(rules.older_than, 'day')}")
    parts = [f"only of {format_count(len(rules.includes), 'pattern')}"] if rules.includes else []
    parts += [f"without {format_list(out)}"] if out else []
    return f" ({', '.join(parts)})" if parts else ""


def _database_exceptions(rules: DatabaseRules) -> str:
    parts = ["some of them"] if rules.names or rules.tables else []
    parts += ["without some tables"] if rules.without or rules.without_tables else []
    parts += ["without the rows of some tables"] if rules.without_rows else []
    return f" ({', '.join(parts)})" if parts else ""


def advice(
    *,
    contents: Sequence[str],
    timetable_text: str,
    keep: int,
    report_to: Sequence[str],
    starts: Sequence[datetime],
    others: Sequence[tuple[str, datetime]],
    covers: int,
    enabled: bool,
    includes: bool,
    matching_nothing: Sequence[str] = (),
) -> list[str]:
    """Return what is unwise about a job's settings, each with the way out."""
    rows = []
    if includes:
        rows.append(
            "It takes only what is included: what a site adds elsewhere later stays out. "
            "Excludes are safer."
        )
    if "files" in contents and "databases" not in contents:
        rows.append(
            "Files without databases restore a site without its contents. "
            "Add databases, or make sure that another job has them."
        )
    if "databases" in contents and "files" not in contents and "system" not in contents:
        rows.append("Databases without the files need another job that has the files.")
    if keep < 3 and timetable_text != "by hand":
        rows.append(
            f"With {format_count(keep, 'copy', 'copies')} a mistake that is noticed late "
            "has replaced every good copy. Keep at least 7."
        )
    if not report_to:
        rows.append("Nobody is notified if it fails. Give a report address.")
    if timetable_text == "by hand" and enabled:
        rows.append("It runs only when started by hand. Give it a timetable.")
    if starts:
        for name, other in others:
            if abs(other - starts[0]) < _NEAR:
                rows.append(f"It starts within five minutes of job “{name}”. Move one of the two.")
    rows.extend(
        f"“{text}” chooses nothing at present. Check its spelling." for text in matching_nothing
    )
    if not covers:
        rows.append("It covers nothing yet. Add accounts first.")
    return rows


def fill_words(packed: int, copies: int, stores: Sequence[str]) -> str:
    """Return the total size of the kept copies, on each store."""
    return (
        f"Full copies of the size last seen, {format_size(packed)} packed, amount to "
        f"{format_size(packed * copies)} on {format_list(stores)} when {copies} are kept."
    )
