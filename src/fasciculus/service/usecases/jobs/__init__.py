"""Jobs: their settings, what they will do, and when."""
