"""A task of a run: from the sources to a bundle on every store."""
