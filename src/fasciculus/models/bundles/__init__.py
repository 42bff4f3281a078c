"""Shapes of bundles and restores."""
