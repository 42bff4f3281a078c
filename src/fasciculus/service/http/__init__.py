"""The HTTP API: parses requests, calls use cases, answers."""
