"""Rows ↔ records by their keys."""
