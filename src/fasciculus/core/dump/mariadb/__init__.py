"""Databases of MariaDB and MySQL to SQL text, and back."""
