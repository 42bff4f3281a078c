"""Jobs, what starts them, what pauses them, and what they were before."""
