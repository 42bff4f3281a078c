"""Discovery of accounts on a host, with their sites, databases and mail domains."""
