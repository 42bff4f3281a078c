"""Settings of a store of any kind."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from ... import models
from ..sizes import parse_size

VerifyDays = Annotated[
    int | None,
    typer.Option(
        help="Deep verify each copy every N days, in the background; 0 for never.",
        min=0,
        max=3650,
    ),
]
Limits = Annotated[
    list[str] | None,
    typer.Option(
        "--limit",
        help="Bandwidth limit, such as “2 MiB/s 08:00-18:00” or “10 MiB/s”; may be repeated; "
        "“none” for none.",
    ),
]
StallTimeout = Annotated[
    int | None,
    typer.Option(
        help="Seconds without progress after which a transfer is given up.", min=10, max=3600
    ),
]
MaxConcurrent = Annotated[
    int | None,
    typer.Option(help="Maximum number of tasks at the same time; 0 for no limit.", min=0),
]
ReadBack = Annotated[
    bool | None,
    typer.Option(
        "--read-back/--no-read-back",
        help="Read uploads back if the store cannot return checksums.",
    ),
]
Queue = Annotated[
    str | None,
    typer.Option(
        help="The queue of the workers near it, for hosts that name none; “none” for none."
    ),
]
AppendOnly = Annotated[
    bool | None,
    typer.Option(
        "--append-only/--not-append-only",
        help="The credentials can only add files there; copies retire by “stores retire”.",
    ),
]
Reserve = Annotated[
    str | None, typer.Option(help="Reserved free space, such as “20 GiB”.", metavar="SIZE")
]
PriceKept = Annotated[float | None, typer.Option(help="Price per GB and month.", min=0)]
PriceMoved = Annotated[float | None, typer.Option(help="Price per GB transferred.", min=0)]
Currency = Annotated[str | None, typer.Option(help="The currency of both, such as EUR.")]
SealTo = Annotated[
    list[str] | None,
    typer.Option(
        "--seal-to",
        help="A public key, age1…, that its bundles are sealed to; may be repeated; “none” for "
        "none.",
    ),
]
CopyFrom = Annotated[
    str | None,
    typer.Option(help="A store whose bundles are copied here on a timetable; “none” for none."),
]
CopyTimetable = Annotated[
    str | None, typer.Option(help="Timetable for copying, such as “daily 05:00”.")
]
CopyMove = Annotated[
    bool | None,
    typer.Option(
        "--copy-move/--copy-keep", help="Remove the bundles from the other store afterwards."
    ),
]
Untried = Annotated[
    bool, typer.Option("--untried", help="Save without testing; “stores try” tests it later.")
]


def common_fields(old: models.Store | None, options: dict[str, Any]) -> dict[str, Any]:
    """Return the given fields of a store, and the other fields of the old one."""
    names = models.StoreInput.model_fields.keys() - {"name", "settings", "secrets"}
    found = {name: getattr(old, name) for name in names} if old is not None else {}
    given = {**options, "recipients": options["seal_to"]}
    for field in ("limits", "recipients"):
        if given[field] == ["none"]:
            given[field] = []
    for field in ("copy_from", "queue"):
        if given[field] == "none":
            given[field] = ""
    if given["reserve"] is not None:
        given["reserve"] = parse_size("reserve", given["reserve"])
    return {**found, **{name: given[name] for name in names if given.get(name) is not None}}


def shared(
    verify_days: VerifyDays = None,
    limits: Limits = None,
    stall_timeout: StallTimeout = None,
    max_concurrent: MaxConcurrent = None,
    read_back: ReadBack = None,
    append_only: AppendOnly = None,
    queue: Queue = None,
    reserve: Reserve = None,
    price_kept: PriceKept = None,
    price_moved: PriceMoved = None,
    currency: Currency = None,
    seal_to: SealTo = None,
    copy_from: CopyFrom = None,
    copy_timetable: CopyTimetable = None,
    copy_move: CopyMove = None,
    untried: Untried = False,
) -> None:
    """Take the options of ``add`` and ``change``."""
