"""Bundles, their copies, their sizes and their damage."""
