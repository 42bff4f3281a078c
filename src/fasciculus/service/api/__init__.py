"""The handlers of the API, one module a family. Importing them registers their operations."""

from . import about, bundles, doors, inventory, jobs, live, overview, reports, runs, stores

__all__ = ["about", "bundles", "doors", "inventory", "jobs", "live", "overview", "reports", "runs", "stores"]
