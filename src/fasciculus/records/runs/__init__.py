"""Work that was done: runs, restores, maintenance, and their logs."""
