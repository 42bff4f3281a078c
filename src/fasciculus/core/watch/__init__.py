"""The standing checks: what is unusual, and what becomes of what they find."""

from .alerts import AlertActions, OpenAlert, reconcile
from .finding import BROKEN, FAILED, LOOK, PARTLY_FAILED, Finding

__all__ = [
    "BROKEN",
    "FAILED",
    "LOOK",
    "PARTLY_FAILED",
    "AlertActions",
    "Finding",
    "OpenAlert",
    "reconcile",
]
