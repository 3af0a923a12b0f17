"""Columns into fields."""
