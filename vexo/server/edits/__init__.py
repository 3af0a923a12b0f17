"""Edits over a trip's sheet, repairs of damage, and which of its rows are carried."""
