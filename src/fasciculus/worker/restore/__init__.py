"""A restore: from a bundle to a folder, a database or the mail settings."""
