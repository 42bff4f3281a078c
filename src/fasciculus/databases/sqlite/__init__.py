"""SQLite: databases that are files of an account."""
