"""The "when" of a job: its timetable, the starts that come of it, and what holds them back."""

from .advice import advice
from .plan import Due, StartPlan, Timed
from .restrictions import Restrictions, parse_days, parse_hours
from .spread import spread
from .starts import next_starts, starts
from .timetable import Schedule, parse, zone

__all__ = [
    "Due",
    "Restrictions",
    "Schedule",
    "StartPlan",
    "Timed",
    "advice",
    "next_starts",
    "parse",
    "parse_days",
    "parse_hours",
    "spread",
    "starts",
    "zone",
]
