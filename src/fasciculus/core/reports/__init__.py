"""What messages to people say: runs, maintenance, alerts, digests."""
