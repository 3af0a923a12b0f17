"""Records, rules and the open interface of the register."""
