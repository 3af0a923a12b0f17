"""Routes: saved ways of making a trip, out and in."""
