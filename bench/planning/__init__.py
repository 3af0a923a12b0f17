"""The whole way of an edited sheet to its plan, beside the same work written straight in Polars and pandas."""
