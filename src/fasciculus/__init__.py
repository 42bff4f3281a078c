"""Fasciculus: scheduled backups of web hosting accounts and sites."""

__version__ = "0.1.0"
