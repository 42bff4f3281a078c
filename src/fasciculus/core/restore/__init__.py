"""Comparing a bundle with the live tree, for a restore in place."""
