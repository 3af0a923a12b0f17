"""Cells into files, one module a format."""
