"""Background work of the service: starts, messages, checks and care of the records."""
