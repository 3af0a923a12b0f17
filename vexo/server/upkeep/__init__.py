"""Keeping the installation in order: what is kept for how long, what takes room, deleting."""
