"""Databases to text and back."""
