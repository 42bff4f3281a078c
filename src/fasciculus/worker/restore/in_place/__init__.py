"""Restoring in place: a plan, staging, and switching by renames that a journal records."""
