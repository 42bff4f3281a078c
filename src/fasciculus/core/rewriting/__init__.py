"""Rewriting addresses, paths and names in files and databases of a restored site."""
