"""Shapes of hosts, accounts and what is found on hosts."""
