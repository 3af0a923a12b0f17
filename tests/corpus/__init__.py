"""Small awkward sheets, one trait each, and what reading them gives, written by hand."""
