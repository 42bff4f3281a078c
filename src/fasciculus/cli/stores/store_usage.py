"""Usage and cost of a store, for people."""

from __future__ import annotations

from ... import models
from .. import output
from ..output import size

_DAYS = 14


def show_usage(found: models.StoreUsage) -> None:
    """Print the numbers, the largest subjects, the last days and the advice."""
    full = f"{found.full_on:%-d %B %Y}. {found.why}" if found.full_on else found.why
    output.show_fields(
        [
            ("store", found.name),
            ("holds", f"{size(found.bytes)} in {output.count(found.copies, 'copy', 'copies')}"),
            ("free", "unknown" if found.free is None else size(found.free)),
            *([("reserve", size(found.reserve))] if found.reserve else []),
            ("grows", "unknown yet" if found.per_day is None else f"{size(found.per_day)} a day"),
            ("full on", full),
            *_prices(found),
            *([("old versions", size(found.old_versions))] if found.old_versions else []),
            ("lacks", output.count(found.lag, "bundle") if found.lag else "nothing"),
            ("read through", f"all since {output.moment(found.oldest_read)}"),
        ]
    )
    for title, rows in (("SUBJECT", found.subjects), ("JOB", found.jobs)):
        output.out.print()
        output.show_table(
            rows,
            [
                (title, lambda r: r.name),
                ("COPIES", lambda r: r.copies),
                ("STORED", lambda r: size(r.bytes)),
            ],
            "",
            right=["COPIES", "STORED"],
        )
    output.out.print()
    output.show_table(
        found.days[-_DAYS:],
        [
            ("DAY (UTC)", lambda d: d.day),
            ("SENT", lambda d: size(d.sent)),
            ("READ", lambda d: size(d.received)),
            ("HELD", lambda d: "–" if d.stored is None else size(d.stored)),
        ],
        "Nothing was transferred yet.",
        right=["SENT", "READ", "HELD"],
    )
    for row in found.advice:
        output.say(f"Advice: {row}")


def _prices(found: models.StoreUsage) -> list[tuple[str, str]]:
    if not (found.currency or found.price_kept or found.price_moved):
        return []
    both = f"{found.price_kept:.2f} for what is held, {found.price_moved:.2f} for what was moved"
    return [("cost per month", f"{both} {found.currency}".strip())]
