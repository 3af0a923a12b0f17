"""Vexo carries records out of a business application into a sheet, and back in."""

__version__ = "0.1.0"
