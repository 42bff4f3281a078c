"""PostgreSQL: databases of a server."""
