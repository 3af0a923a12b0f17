"""Carried values, records then and now → a plan: one verdict a row, old and new value of each field."""
