"""The service's records: SQLite in plain SQL, one module per family of tables."""
