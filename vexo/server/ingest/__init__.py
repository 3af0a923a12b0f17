"""From an upload to a sheet of a trip."""
