"""Messages to people, and what they are about."""
