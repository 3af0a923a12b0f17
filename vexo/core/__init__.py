"""The work itself: plain data in, plain data out."""
