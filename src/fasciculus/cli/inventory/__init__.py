"""Commands of hosts, accounts and coverage."""
