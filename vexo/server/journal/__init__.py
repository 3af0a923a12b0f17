"""The append-only record of who did what."""
