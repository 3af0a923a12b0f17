"""Columns → fields: matching names, marks, references, typed values."""
