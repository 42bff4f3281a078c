"""What the service does by itself: starts, reports, checks and upkeep of its records."""
