"""Plans, decisions, and windows of rows."""
