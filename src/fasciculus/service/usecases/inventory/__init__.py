"""Hosts, accounts and sites: what is backed up, and how it is found."""
