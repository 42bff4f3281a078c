"""The handlers of the API, one module a family. Importing them registers their operations."""

from . import (
    auth,
    bundles,
    definitions,
    discovery,
    events,
    inventory,
    jobs,
    keys,
    kinds,
    maintenance,
    overview,
    reference,
    reports,
    runs,
    search,
    stores,
)

__all__ = [
    "auth",
    "bundles",
    "definitions",
    "discovery",
    "events",
    "inventory",
    "jobs",
    "keys",
    "kinds",
    "maintenance",
    "overview",
    "reference",
    "reports",
    "runs",
    "search",
    "stores",
]
