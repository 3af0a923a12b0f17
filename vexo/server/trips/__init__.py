"""Trips: sheets out, sheets in, and the plan."""
