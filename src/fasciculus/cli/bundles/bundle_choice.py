"""Choosing a bundle: by its number, or by its subject and a time."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING, Annotated

import typer

from .. import output
from ..moments import parse_past

if TYPE_CHECKING:
    from ...client import Client

BundleText = Annotated[
    str,
    typer.Argument(
        help="A bundle's number, or an account or site: then its newest bundle.",
        metavar="BUNDLE",
        show_default=False,
    ),
]
At = Annotated[
    datetime | None,
    typer.Option(
        parser=parse_past,
        metavar="TIME",
        help="The newest bundle at or before this time, such as yesterday or “2026-11-24 18:00”.",
    ),
]


def chosen_bundle(
    client: Client, text: str, at: datetime | None, contents: str = "", store: str = ""
) -> int:
    """Return the number of a bundle, by its number, or by its subject and time.

    ``contents`` is a kind that it must hold, ``store`` one that must have a copy.
    """
    if text.isdecimal() and at is None:
        return int(text)
    query = {"subject": text, "contents": contents, "store": store, "limit": 1}
    if at is not None:
        query["until"] = at.isoformat()
    for found in client.bundles_list(**query).items:
        return found.id
    when = f" at or before {output.moment(at)}" if at else ""
    holds = f" with {contents}" if contents else ""
    raise output.wrong(
        f"There is no bundle of {text}{holds}{when}.",
        f"“fasciculus bundles list --subject {text}” shows which there are.",
        "BUNDLE",
    )
