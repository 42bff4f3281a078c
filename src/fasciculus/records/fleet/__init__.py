"""Workers on other machines."""
