"""Another host, over SSH."""
