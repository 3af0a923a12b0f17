"""Where a sheet belongs."""
