"""Reports, alerts and digests: what they say, and how they are sent."""
