"""Bundles: browsing, downloading, restoring."""
