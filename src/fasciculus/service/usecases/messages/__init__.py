"""Messages to people: reports, their words, and where they go."""
