"""What dumps of every SQL database share."""
