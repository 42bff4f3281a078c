"""Message templates: the defaults, and custom ones."""

from __future__ import annotations

import re
import sqlite3
from collections.abc import Callable, Mapping
from importlib.resources import files
from typing import Any

from jinja2 import StrictUndefined, TemplateError
from jinja2.loaders import BaseLoader, FunctionLoader, PackageLoader
from jinja2.sandbox import SandboxedEnvironment

from ...core.errors import MissingError, SettingError, UnreachableError
from ...core.outcome import OUTCOMES, Tone
from ...records import settings
from .. import outside

_KEY = "templates"
#: The messages with templates.
NAMES = ("report", "digest", "alert", "maintenance", "restore")
FORMS = ("txt", "html")
_LONGEST = 200_000
#: Of mail, in which every colour is written out; readable on white.
_COLOURS: dict[Tone, str] = {
    "good": "#2f6b4f",
    "look": "#8a5a00",
    "plain": "#5b5248",
    "broken": "#9a3324",
}
#: Seconds for rendering a custom template.
_SECONDS = 10.0


def own_texts(db: sqlite3.Connection) -> dict[str, str]:
    """Return the custom templates, by file name."""
    return dict(settings.get(db, _KEY) or {})


def shipped(name: str) -> str:
    """Return the text of a template that comes along, by file name."""
    return files("fasciculus.service").joinpath("templates", name).read_text("utf-8")


def check_name(name: str) -> str:
    """Return the file name of a template that may be changed; raises ``MissingError`` for another
    one.
    """
    known = [f"{row}.{form}" for row in NAMES for form in FORMS]
    if name not in known:
        raise MissingError(f"There is no template {name}.", f"Templates: {', '.join(known)}.")
    return name


def save(db: sqlite3.Connection, name: str, text: str | None, sample: object) -> None:
    """Put a text in place of a template, or ours again; one that cannot be filled is refused.

    ``sample`` is a message of its kind to try it with.
    """
    texts = own_texts(db)
    if text is None or text == shipped(name):
        texts.pop(name, None)
    else:
        if len(text) > _LONGEST:
            raise SettingError("The template is too long.", "Make it shorter.", field="text")
        texts[name] = text
        filled(texts, name, sample)
    settings.put(db, _KEY, texts)


def filled(texts: Mapping[str, str], name: str, report: object) -> str:
    """Return a message by one template, of which people's own are in ``texts``.

    Custom templates are rendered in a process with limits of time and memory. Raises
    ``SettingError`` for a template that cannot be filled.
    """
    if not texts:
        return render(shipped_environment(), name, report)
    try:
        return outside.call_within(_SECONDS, _fill, dict(texts), name, report)
    except UnreachableError as error:
        raise SettingError(
            "The template cannot be filled: it takes too long or too much memory.",
            "Make it simpler; “report” is what it has, as in the one that came along.",
            field="text",
        ) from error


def _fill(texts: dict[str, str], name: str, report: object) -> str:
    try:
        # With the others that it builds upon.
        return render(_environment(texts.get), name, report)
    except (TemplateError, ArithmeticError, LookupError, TypeError, ValueError) as error:
        where = f" (line {error.lineno})" if hasattr(error, "lineno") else ""
        raise SettingError(
            f"The template cannot be filled{where}: {_reason(error)}.",
            "Correct it; “report” is what it has, as in the one that came along.",
            field="text",
        ) from error


def _reason(error: Exception) -> str:
    """Return the error of a template, without the names of our classes."""
    found = re.search(r"object' has no attribute '(\w+)'", str(error))
    return f"there is no “{found[1]}”" if found else str(error)


def shipped_environment() -> SandboxedEnvironment:
    """Templates as they came along."""
    return _environment(lambda name: None)


def render(templates: SandboxedEnvironment, name: str, report: Any) -> str:
    """Return a message by one template."""
    return templates.get_template(name).render(report=report)


def _environment(own: Callable[[str], str | None]) -> SandboxedEnvironment:
    ours = PackageLoader("fasciculus.service", "templates")
    loader: BaseLoader = FunctionLoader(lambda name: own(name) or ours.get_source(found, name)[0])
    found = SandboxedEnvironment(
        loader=loader,
        undefined=StrictUndefined,
        autoescape=lambda name: name is None or not name.endswith(".txt"),
        trim_blocks=True,
        lstrip_blocks=True,
    )
    found.globals |= {"outcomes": OUTCOMES, "colours": _COLOURS}
    return found
