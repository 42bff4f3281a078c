"""Fasciculus: scheduled backups of web hosting accounts and sites."""

__version__ = "0.2.0"
