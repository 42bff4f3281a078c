"""The service's HTML pages, written from its templates."""

from __future__ import annotations

from functools import cache
from typing import Any

from jinja2 import Environment, PackageLoader


@cache
def _pages() -> Environment:
    return Environment(
        loader=PackageLoader("fasciculus.service", "templates"), autoescape=True, cache_size=8
    )


def rendered_page(name: str, **values: Any) -> str:
    """Return a template of this package filled in; values are escaped as HTML."""
    return _pages().get_template(name).render(**values)
