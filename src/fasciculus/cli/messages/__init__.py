"""Commands of reports, alerts and channels."""
