"""All settings as one text, and applied again."""
