"""The use cases of signed-in users: one module for each family, without HTTP."""
