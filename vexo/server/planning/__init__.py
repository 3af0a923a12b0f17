"""From a sheet to its plan."""
