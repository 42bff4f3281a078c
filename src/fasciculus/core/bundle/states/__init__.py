"""The file states that the previous bundle recorded."""
