"""Bundles that only holders of a private key read, and their authentication."""
