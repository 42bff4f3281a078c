"""The standing checks of the service."""
