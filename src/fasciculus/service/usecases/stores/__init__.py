"""Stores: their settings, what is on them, and its maintenance."""
