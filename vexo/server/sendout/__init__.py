"""Choosing records and writing them out as sheets."""
