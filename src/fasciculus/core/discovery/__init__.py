"""What exists on a host: accounts with their sites, databases and mail domains."""
