"""What can be set of a store of any kind."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from .. import models
from .sizes import parse_size

VerifyDays = Annotated[
    int | None,
    typer.Option(
        help="Read every copy through once in so many days, in the background; 0 for never.",
        min=0,
        max=3650,
    ),
]
Limits = Annotated[
    list[str] | None,
    typer.Option(
        "--limit",
        help="Bytes per second, such as “2 MiB/s 08:00-18:00” or “10 MiB/s”; may be given again. "
        "“none” lifts all.",
    ),
]
StallTimeout = Annotated[
    int | None,
    typer.Option(help="Seconds that a transfer may stand still.", min=10, max=3600),
]
MaxConcurrent = Annotated[
    int | None,
    typer.Option(help="How many tasks write to it at the same time; 0 for any number.", min=0),
]
ReadBack = Annotated[
    bool | None,
    typer.Option(
        "--read-back/--no-read-back",
        help="Read back what was sent where the store cannot give its checksum.",
    ),
]
Reserve = Annotated[
    str | None, typer.Option(help="Space that stays free, such as “20 GiB”.", metavar="SIZE")
]
PriceKept = Annotated[float | None, typer.Option(help="Price of a GB held for a month.", min=0)]
PriceMoved = Annotated[float | None, typer.Option(help="Price of a GB sent or read.", min=0)]
Currency = Annotated[str | None, typer.Option(help="The currency of both, such as EUR.")]
SealTo = Annotated[
    list[str] | None,
    typer.Option(
        "--seal-to",
        help="A public key, age1…, that all bundles for it are sealed to; may be given again. "
        "“none” for none.",
    ),
]
CopyFrom = Annotated[
    str | None,
    typer.Option(help="A store whose bundles are brought here on a timetable; “none” for none."),
]
CopyTimetable = Annotated[
    str | None, typer.Option(help="When they are brought, such as “daily 05:00”.")
]
CopyMove = Annotated[
    bool | None,
    typer.Option("--copy-move/--copy-keep", help="Remove them from the other store then."),
]
Untried = Annotated[
    bool, typer.Option("--untried", help="Save it without trying; “stores try” does that later.")
]


def common_fields(old: models.Store | None, options: dict[str, Any]) -> dict[str, Any]:
    """The fields of a store that were given, and what an old one has beside them."""
    names = models.StoreInput.model_fields.keys() - {"name", "settings", "secrets"}
    found = {name: getattr(old, name) for name in names} if old is not None else {}
    given = {**options, "recipients": options["seal_to"]}
    for field in ("limits", "recipients"):
        if given[field] == ["none"]:
            given[field] = []
    if given["copy_from"] == "none":
        given["copy_from"] = ""
    if given["reserve"] is not None:
        given["reserve"] = parse_size("reserve", given["reserve"])
    return {**found, **{name: given[name] for name in names if given.get(name) is not None}}


def shared(
    verify_days: VerifyDays = None,
    limits: Limits = None,
    stall_timeout: StallTimeout = None,
    max_concurrent: MaxConcurrent = None,
    read_back: ReadBack = None,
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
    """The options of ``add`` and ``change``."""
