"""Files that came: received in parts, waiting, put together as lists; and their cells."""
