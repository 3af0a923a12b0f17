"""Sheets that come in: uploads, reading, recognising, columns and keys."""
