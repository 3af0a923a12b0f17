"""Work in the background, under a lease."""
