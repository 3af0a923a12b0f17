"""Rows as people see them: windows, groups, exports, and edits made in place."""
