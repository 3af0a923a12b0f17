"""Saltmarsh Harbour Register: a small business application to try Vexo against. It shares no code with Vexo."""
