"""The standing checks: what is unusual, and what becomes of what they find."""

from .alerts import AlertActions, OpenAlert, reconcile
from .finding import BROKEN, LOOK, Finding

__all__ = ["BROKEN", "LOOK", "AlertActions", "Finding", "OpenAlert", "reconcile"]
