"""Hosts, accounts, sites, databases and mail domains."""

from .accounts import (
    CoverageLookup,
    account,
    accounts,
    every_account,
    mark_gone,
    remove_account,
    save_account,
    sites,
)
from .coverage_items import hidden, save_hidden, save_unmatched, things, unmatched
from .hosts import (
    connection_kind,
    host,
    host_count,
    host_secrets,
    hosts,
    readable_hosts,
    remove_host,
    save_host,
)
from .names import nearest
from .subjects import (
    SubjectHost,
    account_of_site,
    contacts,
    host_of_subject,
    hosts_of,
    local_homes,
    local_roots,
    subject_facts,
    subjects,
)

__all__ = [
    "CoverageLookup",
    "SubjectHost",
    "account",
    "account_of_site",
    "accounts",
    "connection_kind",
    "contacts",
    "every_account",
    "hidden",
    "host",
    "host_count",
    "host_of_subject",
    "host_secrets",
    "hosts",
    "hosts_of",
    "local_homes",
    "local_roots",
    "mark_gone",
    "nearest",
    "readable_hosts",
    "remove_account",
    "remove_host",
    "save_account",
    "save_hidden",
    "save_host",
    "save_unmatched",
    "sites",
    "subject_facts",
    "subjects",
    "things",
    "unmatched",
]
