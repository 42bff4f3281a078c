"""What a signed-in user can ask of the service: one module a family, no HTTP."""
