"""Maintenance of a store: verify, repair, repack, transfer, reseal and import."""
