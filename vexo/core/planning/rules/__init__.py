"""The rules of a plan, one module a subject."""
