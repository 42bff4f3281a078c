"""How a host is reached."""
