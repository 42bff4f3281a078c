"""Stores as the service uses them: their state, short work on them, access to drives."""
