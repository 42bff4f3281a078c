"""The subjects of a job, and the paths that never go into a bundle."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterable, Sequence
from fnmatch import translate
from typing import Literal

from msgspec import Struct

from .bundle.layout import check_name
from .errors import SettingError

Choice = Literal["all", "listed", "all_but"]

_HOST = "host:"
_TAG = "tag:"


class SubjectFacts(Struct, frozen=True):
    """A subject, by what a job can choose it: its name, its host and the tags of its account."""

    name: str
    host: str = ""
    tags: tuple[str, ...] = ()


class Selection(Struct, frozen=True):
    """A choice among the subjects of one kind.

    Each of ``selectors`` is a name, a pattern of names with ``*`` and ``?``, ``host:NAME`` for all
    subjects of a host, or ``tag:NAME`` for all whose account has that tag.
    """

    choice: Choice
    selectors: tuple[str, ...] = ()

    @property
    def grows(self) -> bool:
        """Return whether a subject that is found later can be chosen without a change of the
        selection.
        """
        return self.choice != "listed" or not all(is_name(text) for text in self.selectors)


def check_selector(text: str) -> str:
    """Return a selector without spaces around it, or raise :class:`SettingError`."""
    text = text.strip()
    for prefix in (_HOST, _TAG):
        if text.startswith(prefix):
            return prefix + check_name(text.removeprefix(prefix), "names")
    if is_name(text):
        return check_name(text, "names")
    check_name(re.sub(r"[*?]+", "x", text), "names")
    return text


def is_name(selector: str) -> bool:
    """Return whether a selector names one subject alone."""
    return not (selector.startswith((_HOST, _TAG)) or "*" in selector or "?" in selector)


def chosen(selection: Selection, known: Iterable[SubjectFacts]) -> list[str]:
    """Return the names that the selection picks among ``known``, sorted. Deleted subjects are not
    among them.
    """
    if selection.choice == "all":
        return sorted([subject.name for subject in known])
    picked = picker(selection)
    return sorted(subject.name for subject in known if picked(subject))


def picker(selection: Selection) -> Callable[[SubjectFacts], bool]:
    """Return a function that says whether the selection picks a subject."""
    if selection.choice == "all":
        return lambda subject: True
    matches = _matcher(selection.selectors)
    if selection.choice == "listed":
        return matches
    return lambda subject: not matches(subject)


def _matcher(selectors: Iterable[str]) -> Callable[[SubjectFacts], bool]:
    hosts, tags, names, patterns = set[str](), set[str](), set[str](), list[str]()
    for text in selectors:
        if text.startswith(_HOST):
            hosts.add(text.removeprefix(_HOST))
        elif text.startswith(_TAG):
            tags.add(text.removeprefix(_TAG))
        elif is_name(text):
            names.add(text)
        else:
            patterns.append(translate(text))
    pattern = re.compile("|".join(patterns)) if patterns else None

    def matches(subject: SubjectFacts) -> bool:
        return (
            subject.name in names
            or subject.host in hosts
            or not tags.isdisjoint(subject.tags)
            or (pattern is not None and pattern.match(subject.name) is not None)
        )

    return matches


def gone(selection: Selection, known: Iterable[str]) -> list[str]:
    """Return the names that the selection says and that are not known, sorted."""
    if selection.choice == "all":
        return []
    return sorted({text for text in selection.selectors if is_name(text)} - set(known))


def without_match(selection: Selection, known: Sequence[SubjectFacts]) -> list[str]:
    """Return the selectors of more than a name that pick nothing at present, in their order."""
    if selection.choice == "all":
        return []
    wider = [text for text in selection.selectors if not is_name(text)]
    return [text for text in wider if not any(map(_matcher([text]), known))]


def check_known(
    selection: Selection, known: Iterable[str], hosts: Iterable[str], before: Iterable[str] = ()
) -> None:
    """Raise :class:`SettingError` for a name or host that is neither known nor was said ``before``.

    A job must not omit a subject silently; but a deleted one must not block changes.
    """
    everything, there, said = sorted(known), sorted(hosts), set(before)
    if strange := sorted(set(gone(selection, everything)) - said):
        raise _unknown(strange[0], everything)
    if selection.choice != "all":
        wanted = {text for text in selection.selectors if text.startswith(_HOST)} - said
        if strange := sorted(wanted - {_HOST + name for name in there}):
            raise _unknown(strange[0], [_HOST + name for name in there])


def _unknown(name: str, known: Sequence[str]) -> SettingError:
    return SettingError(
        f"There is no “{name}”.",
        f"Known: {', '.join(known[:12]) or 'none yet'}.",
        field="subjects",
    )


class ExcludedPaths:
    """Absolute folders and files that a scan skips, with all below them."""

    def __init__(self, paths: Sequence[str | bytes]) -> None:
        self._paths = frozenset(os.path.realpath(os.fsencode(path)) for path in paths)

    def __contains__(self, path: bytes) -> bool:
        return path in self._paths

    def __bool__(self) -> bool:
        return bool(self._paths)

    def below(self, root: bytes) -> frozenset[bytes]:
        """Return those paths under ``root``, as paths relative to it."""
        base = os.path.realpath(root)
        prefix = base.rstrip(b"/") + b"/"
        return frozenset(p[len(prefix) :] for p in self._paths if p.startswith(prefix))
