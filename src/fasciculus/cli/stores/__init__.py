"""Commands of stores and of maintenance."""
