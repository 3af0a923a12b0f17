"""The command line, on the same services as the API."""
