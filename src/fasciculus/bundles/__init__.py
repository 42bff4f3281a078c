"""Bundles on a store: reading, retiring and exporting them."""
