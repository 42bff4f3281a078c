"""Workers on other machines, as the service sees them."""
