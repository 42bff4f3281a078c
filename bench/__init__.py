"""Comparisons with the tools of the operating system, side by side: ``make bench``."""
