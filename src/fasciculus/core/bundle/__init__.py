"""The bundle format: scan, frames, pieces, listing, reading back."""
