"""The handlers of the API, one module a family. Importing them registers their operations."""

from . import (
    about,
    bundles,
    covering,
    definitions,
    doors,
    inventory,
    jobs,
    live,
    overview,
    reports,
    runs,
    stores,
    upkeep,
)

__all__ = [
    "about",
    "bundles",
    "covering",
    "definitions",
    "doors",
    "inventory",
    "jobs",
    "live",
    "overview",
    "reports",
    "runs",
    "stores",
    "upkeep",
]
