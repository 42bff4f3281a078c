"""What a restore in place changes: comparing a bundle with the live tree."""
