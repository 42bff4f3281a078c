"""Stores, what they propose, and what was brought to them."""
