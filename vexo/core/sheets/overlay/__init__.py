"""What lies over a sheet's cells: edits, and rows that came back by themselves."""
