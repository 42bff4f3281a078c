"""Reading the folders of an account."""
