"""What is set once for the whole installation: idle time-out, how long things are kept, limits."""
