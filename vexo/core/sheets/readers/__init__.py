"""Files into raw cells, one module a format."""
