"""What people are told that happened while they were elsewhere: as a list here, and by e-mail where they want it."""
