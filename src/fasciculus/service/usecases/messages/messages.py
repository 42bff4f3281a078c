"""Messages as they look, for a frame of the console."""

from __future__ import annotations

from ....core.errors import MissingError
from ....records.messages import reports
from ..caller import Caller
from .reports import jobs_report
from .templates import templates_preview


def messages_show(caller: Caller, kind: str, name: str) -> str:
    """Return a message as HTML: a report by its number, the next report of a job, a template
    filled in.
    """
    match kind:
        case "report" if name.isdecimal() and len(name) < 19:
            return reports.report(caller.reader, int(name)).html
        case "job":
            return jobs_report(caller, name).html
        case "template":
            return templates_preview(caller, name).html
    raise MissingError(
        f"There is no message {kind} {name}.", "Kinds: report with a number, job, template."
    )
