"""PostgreSQL databases as SQL and back."""
