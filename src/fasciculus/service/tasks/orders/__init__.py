"""From the records to self-contained orders, one module for each kind of order."""
