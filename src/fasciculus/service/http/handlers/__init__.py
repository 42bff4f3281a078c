"""The handlers of the API, one module a family. Importing them registers their operations."""

from . import (
    definitions,
    keys,
    maintenance,
    overview,
    reference,
    runs,
    search,
    sign_in,
    stores,
    uploads,
    workers,
)
from .bundles import bundles, differences, download_links, downloads, drills, recoveries, restores
from .inventory import accounts, discovery, hosts
from .jobs import calendar, changes, job_plans, jobs, pauses, start_addresses
from .messages import alerts, channels, messages, reports, templates

__all__ = [
    "accounts",
    "alerts",
    "bundles",
    "calendar",
    "changes",
    "channels",
    "definitions",
    "differences",
    "discovery",
    "download_links",
    "downloads",
    "drills",
    "hosts",
    "job_plans",
    "jobs",
    "keys",
    "maintenance",
    "messages",
    "overview",
    "pauses",
    "recoveries",
    "reference",
    "reports",
    "restores",
    "runs",
    "search",
    "sign_in",
    "start_addresses",
    "stores",
    "templates",
    "uploads",
    "workers",
]
