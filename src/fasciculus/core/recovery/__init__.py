"""Recovery after the loss of a machine: the sheet with the key, and the account of what is back."""
